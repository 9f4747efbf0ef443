// The path to an endpoint, hop by hop: from the switch furthest away, or from where somebody else is.
import { chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useId } from "react";
import type { Hop } from "../api/client";
import { pathQuery } from "../api/resources/endpoints";
import { Field, Heading, More } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { mapPath, portPath } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { useTypedParam } from "../shared/useTypedParam";

const TYPING_MS = 500;

export function PathTo({ mac, at }: { mac: string; at: string | undefined }) {
  const [typed, setTyped, from] = useTypedParam("from", TYPING_MS);
  const id = useId();
  const path = useQuery(pathQuery(mac, at, from));
  return (
    <>
      <Flex align="baseline" gap="12px" wrap="wrap">
        <Heading>The path to it {!at && <More to={mapPath(mac)}>on the map</More>}</Heading>
        <chakra.label htmlFor={id} fontSize="13px" color="soft">
          from
        </chakra.label>
        <Field
          id={id}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          placeholder="the switch furthest away"
          title="A switch, or another endpoint: its address, IP, host name or label"
          width="260px"
          spellCheck={false}
        />
      </Flex>
      <QueryView query={path} rows={2}>
        {(hops) => <Hops hops={hops} />}
      </QueryView>
    </>
  );
}

function Hops({ hops }: { hops: Hop[] }) {
  if (hops.length === 0) return <Nothing>No path is known.</Nothing>;
  return (
    <Flex as="ol" wrap="wrap" gap="6px" listStyleType="none" padding="0" aria-label="hop by hop">
      {hops.map((hop, at) => (
        <Flex as="li" key={hop.switch} align="center" gap="6px">
          <chakra.span
            title={`${hop.why}${hop.learned ? "" : "; the switch does not have the address there now"}`}
            bg="sheet"
            border="1px solid"
            borderColor={at === hops.length - 1 ? "kite" : "line"}
            borderStyle={hop.learned ? "solid" : "dashed"}
            borderRadius="5px"
            padding="3px 9px"
            fontWeight={at === hops.length - 1 ? 700 : 500}
          >
            <TimeLink to={portPath(hop.switch, hop.port)}>
              {hop.switch} · {hop.port}
            </TimeLink>
          </chakra.span>
          {at < hops.length - 1 && <span aria-hidden>→</span>}
        </Flex>
      ))}
    </Flex>
  );
}
