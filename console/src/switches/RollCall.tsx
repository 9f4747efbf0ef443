// Who is on a port, beside who may be: seats, roll, strangers; and the word to change it.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { rollCallQuery, rulesQuery } from "../api/queries";
import { Answered, Nothing, Trouble } from "../shared/Answered";
import { Field, Grid, Heading, Sheet } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath } from "../shared/links";
import { State } from "../shared/State";
import { seatsText } from "./model";

type Call = Schemas["RollCall"];

export function RollCall({ name, port }: { name: string; port: string }) {
  const call = useQuery(rollCallQuery(name, port));
  return (
    <>
      <Heading>Roll call</Heading>
      <Answered query={call} rows={2}>
        {(told) =>
          told.exempt ? (
            <p>It leads to other switches: rules do not reach it.</p>
          ) : (
            <>
              <Say told={told} />
              <Present told={told} />
            </>
          )
        }
      </Answered>
    </>
  );
}

/** What holds here, and the fields to say otherwise of this port alone. */
function Say({ told }: { told: Call }) {
  const client = useQueryClient();
  const rules = useQuery(rulesQuery);
  const own = rules.data?.find((one) => one.switch === told.switch && one.port === told.port);
  const [seats, setSeats] = useState("");
  const set = useMutation({
    mutationFn: (rule: { seats: number | null; watched: boolean | null }) =>
      need(api.PUT("/api/v1/rules", { body: { switch: told.switch, port: told.port, ...rule } })),
    onSettled: () => client.invalidateQueries(),
  });
  const kept = { seats: own?.seats ?? null, watched: own?.watched ?? null };
  const wanted = Number(seats);
  return (
    <Flex align="center" gap="10px" wrap="wrap" margin="0 0 8px">
      <span>
        <strong>{seatsText(told)}</strong>; {told.watched ? "watched for strangers" : "not watched"}
        {told.roll.length > 0 && `; enrolled: ${told.roll.join(", ")}`}
        {told.absent.length > 0 && `; absent: ${told.absent.join(", ")}`}
      </span>
      <label htmlFor="seats">Seats</label>
      <Field
        id="seats"
        type="number"
        min={1}
        width="80px"
        value={seats}
        onChange={(event) => setSeats(event.target.value)}
      />
      <Button
        size="xs"
        variant="outline"
        disabled={!Number.isInteger(wanted) || wanted < 1}
        onClick={() => set.mutate({ ...kept, seats: wanted })}
      >
        Set seats
      </Button>
      <Button size="xs" variant="outline" onClick={() => set.mutate({ ...kept, watched: !told.watched })}>
        {told.watched ? "Do not watch it" : "Watch it"}
      </Button>
      {(kept.seats !== null || kept.watched !== null) && (
        <Button size="xs" variant="outline" onClick={() => set.mutate({ seats: null, watched: null })}>
          Leave it to the switch
        </Button>
      )}
      {set.error && <Trouble error={set.error} />}
    </Flex>
  );
}

function Present({ told }: { told: Call }) {
  const client = useQueryClient();
  const [by, setBy] = useState("");
  const enrol = useMutation({
    mutationFn: (one: Schemas["Attendance"]) =>
      need(
        api.POST("/api/v1/rules/roll", {
          body: { switch: told.switch, port: told.port, prefix: one.mac, vlan: one.vlan, note: "", by },
        }),
      ),
    onSettled: () => client.invalidateQueries(),
  });
  if (told.present.length === 0) return <Nothing>Nobody is present.</Nothing>;
  return (
    <>
      {told.present.some((one) => one.standing !== "enrolled") && (
        <Flex align="center" gap="8px" margin="0 0 6px">
          <label htmlFor="by">Your name, to enrol</label>
          <Field id="by" value={by} maxLength={64} onChange={(event) => setBy(event.target.value)} />
        </Flex>
      )}
      <Sheet tabIndex={0} aria-label="who is present">
        <Grid>
          <tbody>
            {told.present.map((one) => (
              <tr key={`${one.mac} ${one.vlan}`}>
                <td className="mono">
                  <TimeLink to={endpointPath(one.mac)}>{one.mac}</TimeLink>
                </td>
                <td>{one.vlan !== null && `VLAN ${one.vlan}`}</td>
                <td>
                  <State of={one.standing} />
                </td>
                <td className="n">
                  {one.standing !== "enrolled" && (
                    <Button
                      size="xs"
                      variant="outline"
                      disabled={by.trim() === ""}
                      aria-label={`Enrol ${one.mac}`}
                      onClick={() => enrol.mutate(one)}
                    >
                      Enrol
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Grid>
      </Sheet>
      {enrol.error && <Trouble error={enrol.error} />}
    </>
  );
}
