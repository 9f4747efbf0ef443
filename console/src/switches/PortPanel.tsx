// One port of a switch: what it is and why, how many were there over time, who was there.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, need, type Port, type Schemas } from "../api/client";
import { crowdQuery, portHistoryQuery } from "../api/queries";
import { Age, useNow } from "../shared/Age";
import { Answered, Nothing, Trouble } from "../shared/Answered";
import { Grid, Heading, Sheet } from "../shared/Grid";
import { endpointPath } from "../shared/links";
import { State } from "../shared/State";
import { steps } from "./model";

export function PortPanel({ port }: { port: Port }) {
  const crowd = useQuery(crowdQuery(port.switch, port.name));
  const history = useQuery(portHistoryQuery(port.switch, port.name));
  return (
    <>
      <Heading>
        Port {port.name} {port.alias}
      </Heading>
      <Role port={port} />
      <Answered query={crowd} rows={1}>
        {(counts) => <Crowd counts={counts} />}
      </Answered>
      <Sheet tabIndex={0} aria-label={`who is and was on ${port.name}`}>
        <Answered query={history} rows={3}>
          {(page) =>
            page.items.length === 0 ? (
              <Nothing>Nobody was ever heard here.</Nothing>
            ) : (
              <Grid>
                <tbody>
                  {page.items.map((stay) => (
                    <tr key={`${stay.mac} ${stay.vlan} ${stay.began_at}`}>
                      <td className="mono">
                        <Link to={endpointPath(stay.mac)}>{stay.mac}</Link>
                      </td>
                      <td>{stay.vlan}</td>
                      <td>
                        <State of={stay.life} />
                      </td>
                      <td className="tight">
                        began <Age at={stay.began_at} ago />
                      </td>
                      <td className="tight">
                        last seen <Age at={stay.seen_at} ago />
                      </td>
                      <td className="soft">{stay.ending}</td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </Answered>
      </Sheet>
    </>
  );
}

function Role({ port }: { port: Port }) {
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
        It counts as <strong>{port.role === "uplink" ? "an uplink" : "an access port"}</strong>:{" "}
        {port.role_why}
        {port.beyond && `. ${port.beyond} is behind it, which is not in the inventory`}
      </span>
      <Button
        size="xs"
        variant="outline"
        onClick={() => set.mutate(port.role === "uplink" ? "access" : "uplink")}
      >
        Say it is {port.role === "uplink" ? "an access port" : "an uplink"}
      </Button>
      {port.role_by_hand && (
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
