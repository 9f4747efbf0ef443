// The roll call of everything: the sums, ports at which a rule is broken, who is absent, and a list beside it.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { absentQuery, type LevelFilter, rollCallsQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Exports } from "../shared/Exports";
import { Fact } from "../shared/Fact";
import { Facts, Grid, Heading, Lines, Sheet, Title } from "../shared/Grid";
import { endpointPath, portPath } from "../shared/links";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { usePutParam } from "../shared/usePutParam";
import { type CalledPort, chosenLevel, portState, sorted, valueText } from "./model";
import { WhereChoice } from "./WhereChoice";

const LIMIT = 1000;

export function RollCallPage() {
  const [params] = useSearchParams();
  const where = params.get("where") ?? "";
  const filter = chosenLevel(where);
  const broken = params.get("all") !== "yes";
  const calls = useQuery(rollCallsQuery({ ...filter, broken, limit: LIMIT }));
  const set = usePutParam({ replace: true });
  const asked = new URLSearchParams(filter as Record<string, string>).toString();
  return (
    <>
      <Title>Roll call</Title>
      <Flex gap="8px" align="center" wrap="wrap" margin="0 0 6px">
        <WhereChoice id="call-where" label="Of" where={where} setWhere={(next) => set("where", next)} />
        <label>
          <input type="checkbox" checked={!broken} onChange={() => set("all", broken ? "yes" : "")} /> also
          ports in order
        </label>
        <chakra.a href={`/api/v1/roll-call/report?${asked}`} color="tarn" fontWeight={600}>
          to print
        </chakra.a>
        <Exports list="roll-call" filters={filter as Record<string, string>} />
      </Flex>
      <QueryView query={calls} cutTold rows={8}>
        {(page) => (
          <>
            <Sums totals={page.totals} />
            {page.next && (
              <Notice tone="warn">The first {page.items.length} ports; the sums are of all.</Notice>
            )}
            <Sheet tabIndex={0} aria-label="roll call" maxHeight="60vh" overflow="auto">
              {page.items.length === 0 ? (
                <Nothing>
                  {page.totals.ports === 0 ? "No port has a rule yet." : "No rule is broken."}
                </Nothing>
              ) : (
                <Called ports={sorted(page.items, "state")} />
              )}
            </Sheet>
          </>
        )}
      </QueryView>
      <Absent filter={filter} />
      <Against />
    </>
  );
}

function Sums({ totals }: { totals: Schemas["RollCallTotals"] }) {
  return (
    <Facts>
      <Fact label="ports with a rule">{String(totals.ports)}</Fact>
      <Fact label="with a broken rule">{String(totals.broken)}</Fact>
      <Fact label="overfull">{String(totals.overfull)}</Fact>
      <Fact label="present">{String(totals.present)}</Fact>
      <Fact label="enrolled">{String(totals.enrolled)}</Fact>
      <Fact label="strangers">{String(totals.strangers)}</Fact>
      <Fact label="out of place">{String(totals.out_of_place)}</Fact>
      <Fact label="barred">{String(totals.barred)}</Fact>
    </Facts>
  );
}

function Called({ ports }: { ports: CalledPort[] }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>State</th>
          <th>Port</th>
          <th>Label</th>
          <th className="n">Present</th>
          <th>Seats</th>
          <th className="n">Room</th>
          <th>Watched</th>
          <th className="n">Enrolled</th>
          <th className="n">Strangers</th>
          <th className="n">Out of place</th>
          <th className="n">Absent</th>
        </tr>
      </thead>
      <tbody>
        {ports.map((one) => (
          <tr key={`${one.switch} ${one.port}`}>
            <td>
              <StatusText of={portState(one)} />
            </td>
            <td className="tight">
              <Link to={portPath(one.switch, one.port)}>
                {one.switch} · {one.port}
              </Link>
            </td>
            <td>{one.alias}</td>
            <td className="n">
              {one.present}
              {one.random > 0 && <chakra.span color="soft"> ({one.random} random)</chakra.span>}
            </td>
            <td title={one.sources.seats && `set for ${one.sources.seats}`}>
              {one.seats === null ? "" : valueText(one.seats)}
            </td>
            <td className="n">{one.room ?? ""}</td>
            <td title={one.sources.watched && `set for ${one.sources.watched}`}>
              {one.watched ? "yes" : "no"}
            </td>
            <td className="n">{one.enrolled || ""}</td>
            <td className="n">{one.strangers || ""}</td>
            <td className="n">{one.out_of_place || ""}</td>
            <td className="n">{one.absent || ""}</td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}

function Absent({ filter }: { filter: LevelFilter }) {
  const absent = useQuery(absentQuery(filter));
  return (
    <QueryView query={absent} rows={2}>
      {(all) =>
        all.length === 0 ? null : (
          <>
            <Heading>Enrolled and absent</Heading>
            <Sheet tabIndex={0} aria-label="enrolled and absent" maxHeight="40vh" overflow="auto">
              <Grid>
                <thead>
                  <tr>
                    <th>Address</th>
                    <th>Enrolled at</th>
                    <th>Note</th>
                    <th>Owner</th>
                    <th>Last seen</th>
                  </tr>
                </thead>
                <tbody>
                  {all.slice(0, 500).map((one) => (
                    <tr key={one.id}>
                      <td className="mono">
                        <Link to={endpointPath(one.address)}>{one.address}</Link>
                      </td>
                      <td>{one.level}</td>
                      <td>{one.note}</td>
                      <td>{one.owner}</td>
                      <td>
                        <Age at={one.seen_at} ago={one.seen_at !== null} />
                        {one.seen_switch && ` at ${one.seen_switch} · ${one.seen_port}`}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            </Sheet>
          </>
        )
      }
    </QueryView>
  );
}

/** A list of devices, held against the network both ways. */
function Against() {
  const [text, setText] = useState("");
  const compare = useMutation({
    mutationFn: () =>
      need(api.POST("/api/v1/roll-call/against", { body: { text, level: {} } })).then((found) => found.items),
  });
  return (
    <>
      <Heading>Beside a list</Heading>
      <p>CSV with a heading: device (an address, a name or an IP), and maybe switch and port.</p>
      <Lines
        aria-label="list of devices"
        value={text}
        rows={4}
        placeholder={"device,switch,port\n02:1a:01:02:3a:a9,ticket-hall,p2"}
        onChange={(event) => setText(event.target.value)}
      />
      <Flex gap="8px" margin="6px 0">
        <Button
          size="sm"
          variant="outline"
          disabled={text.trim() === "" || compare.isPending}
          onClick={() => compare.mutate()}
        >
          Compare
        </Button>
      </Flex>
      {compare.error && <ErrorNotice error={compare.error} />}
      {compare.data && (
        <Sheet tabIndex={0} aria-label="the list beside the network" maxHeight="50vh" overflow="auto">
          <Grid>
            <tbody>
              {compare.data.slice(0, 1000).map((one) => (
                <tr key={`${one.line} ${one.device} ${one.mac}`}>
                  <td>
                    <StatusText of={one.attendance} />
                  </td>
                  <td>{one.device || <span className="mono">{one.mac}</span>}</td>
                  <td>
                    {one.expected_switch && `expected at ${one.expected_switch} ${one.expected_port ?? ""}`}
                  </td>
                  <td>{one.found.join(", ")}</td>
                </tr>
              ))}
            </tbody>
          </Grid>
        </Sheet>
      )}
    </>
  );
}
