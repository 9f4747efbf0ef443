// One port of a switch: what it is and why, how many were there over time, who was there.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { PortActions } from "../acting/PortActions";
import { api, need, type Port, type Schemas } from "../api/client";
import { addressCountsQuery, linkHistoryQuery } from "../api/resources/ports";
import { portHistoryQuery } from "../api/resources/stays";
import { Age, useNow } from "../shared/Age";
import { Heading, Sheet } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { StayTable } from "../shared/StayTable";
import { steps } from "./model";
import { RollCall } from "./RollCall";

export function PortPanel({ port }: { port: Port }) {
  const past = useAt();
  const crowd = useQuery(addressCountsQuery(port.switch, port.name));
  const history = useQuery(portHistoryQuery(port.switch, port.name));
  const links = useQuery(linkHistoryQuery(port.switch, port.name));
  return (
    <>
      <Heading id="chosen-port">
        Port {port.name} {port.alias}
      </Heading>
      <Role port={port} />
      {!past && <PortActions port={port} />}
      <QueryView query={crowd} rows={1}>
        {(counts) => <AddressCounts counts={counts} />}
      </QueryView>
      <QueryView query={links} rows={1}>
        {(changes) => <Links changes={changes} />}
      </QueryView>
      {!past && <RollCall name={port.switch} port={port.name} />}
      <Heading>Addresses now and before</Heading>
      <Sheet tabIndex={0} aria-label={`who is and was on ${port.name}`}>
        <QueryView query={history} rows={3}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>No address was ever learned here.</Nothing>
            ) : (
              <StayTable stays={page.items} />
            )
          }
        </QueryView>
      </Sheet>
    </>
  );
}

const MOST_LINKS = 8;

function Links({ changes }: { changes: Schemas["LinkChange"][] }) {
  if (changes.length === 0) return <p>Its link has not changed in the last 7 days.</p>;
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
        It {past ? "was" : "is"} <strong>{port.role === "uplink" ? "an uplink" : "an access port"}</strong>:{" "}
        {port.role_evidence}
        {port.beyond && `. ${port.beyond} is behind it, which is not in the inventory`}
      </span>
      {!past && (
        <Button
          size="xs"
          variant="outline"
          onClick={() => set.mutate(port.role === "uplink" ? "access" : "uplink")}
        >
          Set as {port.role === "uplink" ? "access port" : "uplink"}
        </Button>
      )}
      {port.role_by_operator && !past && (
        <Button size="xs" variant="outline" onClick={() => set.mutate(null)}>
          Clear this setting
        </Button>
      )}
      {set.error && <ErrorNotice error={set.error} />}
    </Flex>
  );
}

function AddressCounts({ counts }: { counts: Schemas["CountPoint"][] }) {
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
