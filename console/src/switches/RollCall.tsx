// Roll call of a port: seats, roll, strangers, and the form that changes its rule.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { rollCallQuery, rulesQuery } from "../api/resources/ports";
import { Field, Grid, Heading, Sheet } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath } from "../shared/links";
import { ErrorNotice, Nothing, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { seatsText } from "./model";

type Call = Schemas["RollCall"];

export function RollCall({ name, port }: { name: string; port: string }) {
  const call = useQuery(rollCallQuery(name, port));
  return (
    <>
      <Heading>Roll call</Heading>
      <QueryView query={call} rows={2}>
        {(result) =>
          result.exempt ? (
            <p>It is an uplink: rules do not apply to it.</p>
          ) : (
            <>
              <Rule call={result} />
              <Present call={result} />
            </>
          )
        }
      </QueryView>
    </>
  );
}

/** The rule that applies, and the fields to set another for this port alone. */
function Rule({ call }: { call: Call }) {
  const client = useQueryClient();
  const rules = useQuery(rulesQuery);
  const own = rules.data?.find((one) => one.switch === call.switch && one.port === call.port);
  const [seats, setSeats] = useState("");
  const set = useMutation({
    mutationFn: (rule: { seats: number | null; watched: boolean | null }) =>
      need(api.PATCH("/api/v1/rules", { body: { switch: call.switch, port: call.port, ...rule } })),
    onSettled: () => client.invalidateQueries(),
  });
  const kept = { seats: own?.seats ?? null, watched: own?.watched ?? null };
  const wanted = Number(seats);
  return (
    <Flex align="center" gap="10px" wrap="wrap" margin="0 0 8px">
      <span>
        <strong>{seatsText(call)}</strong>; {call.watched ? "watched for strangers" : "not watched"}
        {call.roll.length > 0 && `; enrolled: ${call.roll.join(", ")}`}
        {call.absent.length > 0 && `; absent: ${call.absent.join(", ")}`}
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
      <Button size="xs" variant="outline" onClick={() => set.mutate({ ...kept, watched: !call.watched })}>
        {call.watched ? "Stop watching" : "Watch for strangers"}
      </Button>
      {(kept.seats !== null || kept.watched !== null) && (
        <Button size="xs" variant="outline" onClick={() => set.mutate({ seats: null, watched: null })}>
          Inherit from the switch
        </Button>
      )}
      {set.error && <ErrorNotice error={set.error} />}
    </Flex>
  );
}

function Present({ call }: { call: Call }) {
  const client = useQueryClient();
  const [by, setBy] = useState("");
  const enrol = useMutation({
    mutationFn: (one: Schemas["PortOccupant"]) =>
      need(
        api.POST("/api/v1/rules/roll", {
          body: { switch: call.switch, port: call.port, prefix: one.mac, vlan: one.vlan, note: "", by },
        }),
      ),
    onSettled: () => client.invalidateQueries(),
  });
  if (call.present.length === 0) return <Nothing>No address is present.</Nothing>;
  return (
    <>
      {call.present.some((one) => one.status !== "enrolled") && (
        <Flex align="center" gap="8px" margin="0 0 6px">
          <label htmlFor="by">Your name, to enrol</label>
          <Field id="by" value={by} maxLength={64} onChange={(event) => setBy(event.target.value)} />
        </Flex>
      )}
      <Sheet tabIndex={0} aria-label="who is present">
        <Grid>
          <tbody>
            {call.present.map((one) => (
              <tr key={`${one.mac} ${one.vlan}`}>
                <td className="mono">
                  <TimeLink to={endpointPath(one.mac)}>{one.mac}</TimeLink>
                </td>
                <td>{one.vlan !== null && `VLAN ${one.vlan}`}</td>
                <td>
                  <StatusText of={one.status} />
                </td>
                <td className="n">
                  {one.status !== "enrolled" && (
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
      {enrol.error && <ErrorNotice error={enrol.error} />}
    </>
  );
}
