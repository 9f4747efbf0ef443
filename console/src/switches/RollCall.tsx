// Roll call of a port: seats, roll, strangers, and the form that changes its rule.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { rollCallQuery } from "../api/resources/ports";
import { rulesQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Field, Grid, Heading, Sheet } from "../shared/Grid";
import { TimeLink } from "../shared/instant";
import { endpointPath } from "../shared/links";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
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
              {result.not_read && (
                <Notice tone="warn">
                  Its switch{" "}
                  {result.read_at ? (
                    <>
                      was read last <Age at={result.read_at} ago />
                    </>
                  ) : (
                    "was never read"
                  )}
                  : who is here now is not known.
                </Notice>
              )}
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
    meta: { done: "The rule is changed." },
    mutationFn: (rule: { seats?: number | null; watched?: boolean | null }) =>
      need(
        api.PATCH("/api/v1/rules", {
          body: {
            changes: [{ switch: call.switch, port: call.port, ...rule }],
            reason: "",
            dry_run: false,
          },
        }),
      ),
    onSettled: () => client.invalidateQueries(),
  });
  const wanted = Number(seats);
  return (
    <Flex align="center" gap="10px" wrap="wrap" margin="0 0 8px">
      <span>
        <strong>{seatsText(call)}</strong>
        {call.newcomers > 0 && ` (${call.newcomers} came within the last ageing time)`};{" "}
        {call.watched ? "watched for strangers" : "not watched"}
        {call.roll.length > 0 && `; enrolled: ${call.roll.join(", ")}`}
        {call.absentees.length > 0 && `; absent: ${call.absentees.join(", ")}`}
      </span>
      <label htmlFor="seats">Seats</label>
      <Field
        id="seats"
        type="number"
        min={0}
        width="80px"
        value={seats}
        onChange={(event) => setSeats(event.target.value)}
      />
      <Button
        size="xs"
        variant="outline"
        disabled={!/^\d+$/.test(seats) || wanted > 10_000}
        onClick={() => set.mutate({ seats: wanted })}
      >
        Set seats
      </Button>
      <Button size="xs" variant="outline" onClick={() => set.mutate({ watched: !call.watched })}>
        {call.watched ? "Stop watching" : "Watch for strangers"}
      </Button>
      {own && (own.seats !== null || own.watched !== null) && (
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
  const settled = { onSettled: () => client.invalidateQueries() };
  const enrol = useMutation({
    meta: { done: "It is enrolled." },
    mutationFn: (one: Schemas["PortOccupant"]) =>
      need(
        api.POST("/api/v1/rules/roll", {
          body: {
            switch: call.switch,
            port: call.port,
            prefix: one.mac,
            vlan: one.vlan,
            note: "",
            owner: "",
            reason: "",
          },
        }),
      ),
    ...settled,
  });
  const replace = useMutation({
    meta: { done: "The entry is replaced." },
    mutationFn: (one: Schemas["RollReplacement"]) =>
      need(
        api.POST("/api/v1/rules/roll/{number}/replace", {
          params: { path: { number: one.entry } },
          body: { mac: one.mac, reason: "replaced" },
        }),
      ),
    ...settled,
  });
  if (call.occupants.length === 0) return <Nothing>No address is present.</Nothing>;
  const error = enrol.error ?? replace.error;
  return (
    <>
      <Sheet tabIndex={0} aria-label="who is present">
        <Grid>
          <tbody>
            {call.occupants.map((one) => (
              <tr key={`${one.mac} ${one.vlan}`}>
                <td className="mono">
                  <TimeLink to={endpointPath(one.mac)}>{one.mac}</TimeLink>
                </td>
                <td>
                  {one.vlan !== null && `VLAN ${one.vlan}`}
                  {one.unexpected_vlan && ", not expected"}
                </td>
                <td>
                  <StatusText of={one.status} />
                  {one.random && ", likely random"}
                </td>
                <td className="n">
                  {one.status !== "enrolled" && one.status !== "barred" && (
                    <Button
                      size="xs"
                      variant="outline"
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
      {call.replacements.map((one) => (
        <Flex key={one.entry} align="center" gap="8px" margin="6px 0">
          <span>
            {one.absent} is enrolled here and absent; {one.mac} is of the same kind.
          </span>
          <Button size="xs" variant="outline" onClick={() => replace.mutate(one)}>
            Replace the entry
          </Button>
        </Flex>
      ))}
      {error && <ErrorNotice error={error} />}
    </>
  );
}
