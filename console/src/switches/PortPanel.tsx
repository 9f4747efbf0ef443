// One port of a switch: what it is and why, how many were there over time, who was there.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, need, type Port, type Schemas } from "../api/client";
import { crowdQuery, linksQuery, portHistoryQuery } from "../api/queries";
import { Age, useNow } from "../shared/Age";
import { Answered, Nothing, Trouble } from "../shared/Answered";
import { Heading, Sheet } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { StayTable } from "../shared/StayTable";
import { steps } from "./model";
import { RollCall } from "./RollCall";

export function PortPanel({ port }: { port: Port }) {
  const past = useAt();
  const crowd = useQuery(crowdQuery(port.switch, port.name));
  const history = useQuery(portHistoryQuery(port.switch, port.name));
  const links = useQuery(linksQuery(port.switch, port.name));
  return (
    <>
      <Heading id="chosen-port">
        Port {port.name} {port.alias}
      </Heading>
      <Role port={port} />
      <Answered query={crowd} rows={1}>
        {(counts) => <Crowd counts={counts} />}
      </Answered>
      <Answered query={links} rows={1}>
        {(changes) => <Links changes={changes} />}
      </Answered>
      {!past && <RollCall name={port.switch} port={port.name} />}
      <Heading>Who is and was there</Heading>
      <Sheet tabIndex={0} aria-label={`who is and was on ${port.name}`}>
        <Answered query={history} rows={3}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>Nobody was ever heard here.</Nothing>
            ) : (
              <StayTable stays={page.items} />
            )
          }
        </Answered>
      </Sheet>
    </>
  );
}

const MOST_LINKS = 8;

function Links({ changes }: { changes: Schemas["LinkChange"][] }) {
  if (changes.length === 0) return <p>Its link stayed as it is for 7 days.</p>;
  return (
    <chakra.p margin="0 0 10px">
      Link:{" "}
      {changes.slice(0, MOST_LINKS).map((one, at) => (
        <span key={one.at}>
          {at > 0 && ", "}
          <strong>{one.oper}</strong> <Age at={one.at} ago />
        </span>
      ))}
      {changes.length > MOST_LINKS && ` and ${changes.length - MOST_LINKS} more in 7 days`}
    </chakra.p>
  );
}

function Role({ port }: { port: Port }) {
  const past = useAt();
  const client = useQueryClient();
  const set = useMutation({
    mutationFn: (role: "uplink" | "access" | null) =>
      need(
        api.PATCH("/api/v1/switches/{name}/ports/{port}", {
          params: { path: { name: port.switch, port: port.name } },
          body: { role },
        }),
      ),
    onSettled: () => client.invalidateQueries(),
  });
  return (
    <Flex align="center" gap="10px" wrap="wrap" margin="0 0 8px">
      <span>
        It {past ? "counted" : "counts"} as{" "}
        <strong>{port.role === "uplink" ? "an uplink" : "an access port"}</strong>: {port.role_why}
        {port.beyond && `. ${port.beyond} is behind it, which is not in the inventory`}
      </span>
      {!past && (
        <Button
          size="xs"
          variant="outline"
          onClick={() => set.mutate(port.role === "uplink" ? "access" : "uplink")}
        >
          Say it is {port.role === "uplink" ? "an access port" : "an uplink"}
        </Button>
      )}
      {port.role_by_hand && !past && (
        <Button size="xs" variant="outline" onClick={() => set.mutate(null)}>
          Take that back
        </Button>
      )}
      {set.error && <Trouble error={set.error} />}
    </Flex>
  );
}

function Crowd({ counts }: { counts: Schemas["CountStep"][] }) {
  const now = useNow();
  const most = Math.max(...counts.map((one) => one.count), 1);
  return (
    <chakra.figure margin="0 0 10px">
      <chakra.svg
        viewBox="0 0 600 44"
        width="600px"
        maxWidth="100%"
        height="44px"
        role="img"
        aria-label="addresses over time"
      >
        <chakra.path d={steps(counts, now, 600, 40)} fill="none" stroke="tarn" strokeWidth="2" />
      </chakra.svg>
      <chakra.figcaption color="soft" fontSize="13px">
        addresses on the port in the last 7 days, {most} at most
      </chakra.figcaption>
    </chakra.figure>
  );
}
