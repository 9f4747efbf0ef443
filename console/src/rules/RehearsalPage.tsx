// Rehearsals: what rules would have found in the past, as a calendar of breaches and a list.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { rehearsalQuery, rehearsalsQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Fact } from "../shared/Fact";
import { Choice, Facts, Grid, Heading, Sheet } from "../shared/Grid";
import { endpointPath, portPath, withAt } from "../shared/links";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { fullTime, span } from "../shared/time";
import { calendar, chosenLevel } from "./model";
import { useRules } from "./RulesLayout";
import { WhereChoice } from "./WhereChoice";

/** Rows of the lists at the top. */
const SHOWN = 12;

type Run = Schemas["RehearsalRun"];
type Found = Schemas["RehearsalFindings"];

export function RehearsalPage() {
  const [params, setParams] = useSearchParams();
  const runs = useQuery(rehearsalsQuery);
  const number = Number(params.get("run")) || runs.data?.[0]?.id;
  return (
    <>
      <p>A rehearsal plays rules over the records: nothing is saved by it, and nothing live is touched.</p>
      <Begin begun={(run) => setParams({ run: String(run.id) })} />
      {runs.data && runs.data.length > 1 && (
        <Flex gap="8px" align="center" margin="0 0 10px">
          <label htmlFor="run">Shown</label>
          <Choice id="run" value={number} onChange={(event) => setParams({ run: event.target.value })}>
            {runs.data.map((one) => (
              <option key={one.id} value={one.id}>
                {one.id}: {one.changes} {one.changes === 1 ? "value" : "values"} changed, {one.state}
              </option>
            ))}
          </Choice>
        </Flex>
      )}
      {number ? (
        <Shown number={number} />
      ) : (
        <Nothing>Nothing was rehearsed since the service started.</Nothing>
      )}
    </>
  );
}

function Begin({ begun }: { begun: (run: Run) => void }) {
  const { pending } = useRules();
  const client = useQueryClient();
  const [days, setDays] = useState("30");
  const [where, setWhere] = useState("");
  const begin = useMutation({
    mutationFn: () => {
      const since = new Date(Date.now() - Number(days) * 86_400_000).toISOString();
      return need(
        api.POST("/api/v1/rehearsals", {
          body: { changes: [...pending.values()], since, ...chosenLevel(where) },
        }),
      );
    },
    onSuccess: begun,
    onSettled: () => client.invalidateQueries({ queryKey: ["rehearsals"] }),
  });
  return (
    <>
      <Flex gap="8px" align="center" wrap="wrap" margin="10px 0">
        <label htmlFor="rehearse-days">Rehearse the last</label>
        <Choice id="rehearse-days" value={days} onChange={(event) => setDays(event.target.value)}>
          <option value="1">day</option>
          <option value="7">7 days</option>
          <option value="30">30 days</option>
          <option value="90">90 days</option>
        </Choice>
        <WhereChoice id="rehearse-where" label="of" where={where} setWhere={setWhere} />
        <span>
          with{" "}
          {pending.size === 0
            ? "the rules in force"
            : `${pending.size} ${pending.size === 1 ? "change that is" : "changes that are"} not applied yet`}
        </span>
        <Button size="sm" bg="tarn" color="onTarn" disabled={begin.isPending} onClick={() => begin.mutate()}>
          Rehearse
        </Button>
      </Flex>
      {begin.error && <ErrorNotice error={begin.error} />}
    </>
  );
}

function Shown({ number }: { number: number }) {
  const run = useQuery(rehearsalQuery(number));
  const client = useQueryClient();
  const cancel = useMutation({
    mutationFn: () => need(api.POST("/api/v1/rehearsals/{number}/cancel", { params: { path: { number } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["rehearsals"] }),
  });
  return (
    <QueryView query={run} rows={6}>
      {(one) => (
        <>
          {one.state === "running" && (
            <Flex gap="10px" align="center" margin="0 0 10px">
              <chakra.progress
                aria-label="switches gone through"
                value={one.done}
                max={one.switches}
                width="220px"
              />
              <span role="status">
                {one.done} of {one.switches} switches
              </span>
              <Button size="sm" variant="outline" onClick={() => cancel.mutate()}>
                Cancel
              </Button>
            </Flex>
          )}
          {one.state === "cancelled" && <Notice tone="soft">It was cancelled.</Notice>}
          {one.state === "failed" && <Notice tone="bad">It failed: {one.error}</Notice>}
          {one.findings && <Result run={one} found={one.findings} />}
        </>
      )}
    </QueryView>
  );
}

/** What is said of a list that shows the first rows of more. */
function ofAll(which: string, all: number, shown: number) {
  return all > shown ? `: ${which} ${shown.toLocaleString()} of ${all.toLocaleString()}` : "";
}

function Result({ run, found }: { run: Run; found: Found }) {
  const kinds = Object.entries(found.by_kind);
  return (
    <>
      <Facts>
        <Fact label="would have been found">{String(found.reported)}</Fact>
        {kinds.map(([kind, count]) => (
          <Fact key={kind} label={kind}>
            {String(count)}
          </Fact>
        ))}
        <Fact label="too short, or only recorded">{String(found.not_reported)}</Fact>
        <Fact label="rules that never mattered">{`${found.without_effect_count} ports`}</Fact>
        <Fact label="rehearsed">{`${fullTime(run.since)} to ${fullTime(run.until)}`}</Fact>
      </Facts>
      {found.recorded_since && found.recorded_since > run.since && (
        <Notice tone="soft">The records begin {fullTime(found.recorded_since)}.</Notice>
      )}
      <Calendar run={run} found={found} />
      <Flex gap="24px" wrap="wrap" align="flex-start">
        <Box flex="1 1 320px">
          <Heading>Ports that would have hurt{ofAll("the worst", found.ports_count, SHOWN)}</Heading>
          <Sheet tabIndex={0} aria-label="ports that would have hurt">
            {found.ports.length === 0 ? (
              <Nothing>None.</Nothing>
            ) : (
              <Grid>
                <tbody>
                  {found.ports.slice(0, SHOWN).map((one) => (
                    <tr key={`${one.switch} ${one.port}`}>
                      <td>
                        <Link to={portPath(one.switch, one.port)}>
                          {one.switch} · {one.port}
                        </Link>
                      </td>
                      <td className="n">{one.breaches}×</td>
                      <td className="n">{span(one.lasted_s * 1000)}</td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )}
          </Sheet>
        </Box>
        <Box flex="1 1 320px">
          <Heading>Seats that were needed{ofAll("the fullest", found.seats_count, SHOWN)}</Heading>
          <Sheet tabIndex={0} aria-label="seats that were needed">
            <Grid>
              <thead>
                <tr>
                  <th>Port</th>
                  <th className="n">Typical</th>
                  <th className="n">95 %</th>
                  <th className="n">Peak</th>
                  <th className="n">Above 95 %</th>
                </tr>
              </thead>
              <tbody>
                {found.seats.slice(0, SHOWN).map((one) => (
                  <tr key={`${one.switch} ${one.port}`}>
                    <td>
                      <Link to={portPath(one.switch, one.port)}>
                        {one.switch} · {one.port}
                      </Link>
                    </td>
                    <td className="n">{one.typical}</td>
                    <td className="n">{one.high}</td>
                    <td className="n">{one.peak}</td>
                    <td className="n">{one.above_high_s > 0 && span(one.above_high_s * 1000)}</td>
                  </tr>
                ))}
              </tbody>
            </Grid>
          </Sheet>
        </Box>
      </Flex>
      <Heading>
        What would have been found{ofAll("the longest", found.reported, found.breaches.length)}
      </Heading>
      <Sheet tabIndex={0} aria-label="what would have been found" maxHeight="60vh" overflow="auto">
        {found.breaches.length === 0 ? (
          <Nothing>Nothing would have been found.</Nothing>
        ) : (
          <Breaches found={found} />
        )}
      </Sheet>
    </>
  );
}

function Breaches({ found }: { found: Found }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>Finding</th>
          <th>Port</th>
          <th>Address</th>
          <th>Began</th>
          <th className="n">Lasted</th>
          <th className="n">Most</th>
        </tr>
      </thead>
      <tbody>
        {found.breaches.map((one) => (
          <tr key={`${one.kind} ${one.switch} ${one.port} ${one.mac} ${one.began_at}`}>
            <td>{one.kind}</td>
            <td className="tight">
              <Link to={withAt(portPath(one.switch, one.port), one.began_at)}>
                {one.switch} · {one.port}
              </Link>
              {one.ports > 1 && ` and ${one.ports - 1} more`}
            </td>
            <td className="mono">{one.mac && <Link to={endpointPath(one.mac)}>{one.mac}</Link>}</td>
            <td className="tight">
              <Age at={one.began_at} ago />
            </td>
            <td className="n">{span(one.lasted_s * 1000)}</td>
            <td className="n">{one.count > 1 && one.count}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}

/** A box a day: how many findings would have opened on it. */
function Calendar({ run, found }: { run: Run; found: Found }) {
  const days = calendar(later(run.since, found.recorded_since), run.until, found.by_day);
  const most = Math.max(...days.map((one) => one.breaches), 1);
  return (
    <>
      <Heading>Findings by day</Heading>
      <Flex as="ol" wrap="wrap" gap="4px" listStyleType="none" aria-label="findings by day">
        {days.map((one) => (
          <chakra.li
            key={one.day}
            width="52px"
            padding="3px 4px"
            border="1px solid"
            borderColor="line"
            borderRadius="4px"
            bg="sheet"
            fontSize="12px"
            title={`${one.day}: ${one.breaches}`}
          >
            <chakra.span display="block" color="soft">
              {one.day.slice(5)}
            </chakra.span>
            <strong>{one.breaches || "·"}</strong>
            <chakra.span
              aria-hidden
              display="block"
              height="4px"
              borderRadius="2px"
              bg="kite"
              style={{ width: `${(100 * one.breaches) / most}%` }}
            />
          </chakra.li>
        ))}
      </Flex>
    </>
  );
}

const later = (one: string, other: string | null) => (other !== null && other > one ? other : one);
