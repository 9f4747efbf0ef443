// The roll call of everything: the sums, ports at which a rule is broken, who is absent, and a list beside it.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { absentQuery, type LevelFilter, rollCallPagesQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import { Fact } from "../shared/Fact";
import { Facts, Heading, Lines, Title } from "../shared/Grid";
import { endpointPath, portPath } from "../shared/links";
import { ErrorNotice, Notice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { usePutParam } from "../shared/usePutParam";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { moreOf, rowsOf } from "../table/paged";
import { type CalledPort, chosenLevel, inNeed, portState, valueText } from "./model";
import { WhereChoice } from "./WhereChoice";

export function RollCallPage() {
  const [params] = useSearchParams();
  const where = params.get("where") ?? "";
  const filter = chosenLevel(where);
  const broken = params.get("all") !== "yes";
  const calls = useInfiniteQuery(rollCallPagesQuery({ ...filter, broken }));
  const ports = useMemo(() => inNeed(rowsOf(calls.data)), [calls.data]);
  const set = usePutParam({ replace: true });
  const asked = new URLSearchParams(filter as Record<string, string>).toString();
  return (
    <>
      <Title>Roll call</Title>
      <QueryView query={calls} cutTold rows={8}>
        {({ pages: [first] }) => (
          <>
            {first && <Sums totals={first.totals} />}
            {first && first.totals.not_read > 0 && (
              <Notice tone="warn">
                {first.totals.not_read} of the ports are of switches that are not read in time: who is there
                now is not known, the numbers are of their latest readings.
              </Notice>
            )}
            <DataTable
              caption="roll call"
              rows={ports}
              columns={CALLED}
              rowKey={(one) => `${one.switch} ${one.port}`}
              empty={first?.totals.ports === 0 ? "No port has a rule yet." : "No rule is broken."}
              more={moreOf(calls)}
              exported={{ list: "roll-call", filters: filter as Record<string, string> }}
              height="60vh"
            >
              <WhereChoice id="call-where" label="Of" where={where} setWhere={(next) => set("where", next)} />
              <label>
                <input type="checkbox" checked={!broken} onChange={() => set("all", broken ? "yes" : "")} />{" "}
                also ports in order
              </label>
              <chakra.a href={`/api/v1/roll-call/report?${asked}`} color="tarn" fontWeight={600}>
                to print
              </chakra.a>
            </DataTable>
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

const count = (
  id: "enrolled" | "strangers" | "out_of_place" | "absent",
  header: string,
): Column<CalledPort> => ({
  id,
  header,
  width: 90,
  number: true,
  cell: (one) => one[id] || "",
  text: (one) => one[id],
});

const CALLED: Column<CalledPort>[] = [
  {
    id: "state",
    header: "State",
    width: 120,
    cell: (one) => <StatusText of={portState(one)} />,
    text: portState,
  },
  {
    id: "port",
    header: "Port",
    width: 190,
    cell: (one) => (
      <Link to={portPath(one.switch, one.port)}>
        {one.switch} · {one.port}
      </Link>
    ),
    text: (one) => `${one.switch} · ${one.port}`,
  },
  {
    id: "alias",
    header: "Label",
    width: 170,
    wide: true,
    cell: (one) => one.alias,
    text: (one) => one.alias,
  },
  {
    id: "present",
    header: "Present",
    width: 130,
    number: true,
    cell: (one) => (
      <>
        {one.present}
        {one.random > 0 && <chakra.span color="soft"> ({one.random} random)</chakra.span>}
      </>
    ),
    text: (one) => one.present,
  },
  {
    id: "seats",
    header: "Seats",
    width: 80,
    cell: (one) => (
      <span title={one.sources.seats && `set for ${one.sources.seats}`}>
        {one.seats === null ? "" : valueText(one.seats)}
      </span>
    ),
    text: (one) => one.seats ?? "",
  },
  {
    id: "room",
    header: "Room",
    width: 80,
    number: true,
    cell: (one) => one.room ?? "",
    text: (one) => one.room ?? "",
  },
  {
    id: "watched",
    header: "Watched",
    width: 90,
    cell: (one) => (
      <span title={one.sources.watched && `set for ${one.sources.watched}`}>
        {one.watched ? "yes" : "no"}
      </span>
    ),
    text: (one) => (one.watched ? "yes" : "no"),
  },
  count("enrolled", "Enrolled"),
  count("strangers", "Strangers"),
  count("out_of_place", "Out of place"),
  count("absent", "Absent"),
];

function NotRead() {
  return (
    <chakra.span
      color="warn"
      title="A switch where it is, or may be, is not read in time: whether it is so now is not known."
    >
      {" "}
      not read in time
    </chakra.span>
  );
}

const ABSENT: Column<Schemas["AbsentEntry"]>[] = [
  {
    id: "address",
    header: "Address",
    width: 190,
    mono: true,
    cell: (one) => <Link to={endpointPath(one.address)}>{one.address}</Link>,
    text: (one) => one.address,
  },
  { id: "level", header: "Enrolled at", width: 220, cell: (one) => one.level, text: (one) => one.level },
  { id: "note", header: "Note", width: 200, cell: (one) => one.note, text: (one) => one.note },
  { id: "owner", header: "Owner", width: 140, cell: (one) => one.owner, text: (one) => one.owner },
  {
    id: "seen_at",
    header: "Last seen",
    width: 360,
    cell: (one) => (
      <>
        <Age at={one.seen_at} ago={one.seen_at !== null} />
        {one.seen_switch && ` at ${one.seen_switch} · ${one.seen_port}`}
        {one.not_read && <NotRead />}
      </>
    ),
    text: (one) => one.seen_at ?? "",
  },
];

function Absent({ filter }: { filter: LevelFilter }) {
  const absent = useQuery(absentQuery(filter));
  return (
    <QueryView query={absent} rows={2}>
      {(all) =>
        all.length === 0 ? null : (
          <>
            <Heading>Enrolled and absent</Heading>
            <DataTable
              name="absent"
              caption="enrolled and absent"
              rows={all}
              columns={ABSENT}
              rowKey={(one) => String(one.id)}
              empty=""
              height="40vh"
            />
          </>
        )
      }
    </QueryView>
  );
}

const AGAINST: Column<Schemas["AttendedDevice"]>[] = [
  {
    id: "attendance",
    header: "Is",
    width: 240,
    cell: (one) => (
      <>
        <StatusText of={one.attendance} />
        {one.not_read && <NotRead />}
      </>
    ),
    text: (one) => one.attendance,
  },
  {
    id: "device",
    header: "Device",
    width: 220,
    cell: (one) => one.device || <span className="mono">{one.mac}</span>,
    text: (one) => one.device || (one.mac ?? ""),
  },
  { id: "expected", header: "Expected at", width: 220, cell: expected, text: expected },
  {
    id: "found",
    header: "Found at",
    width: 300,
    cell: (one) => one.found.join(", "),
    text: (one) => one.found.join(", "),
  },
];

function expected(one: Schemas["AttendedDevice"]): string {
  return [one.expected_switch, one.expected_port].filter(Boolean).join(" · ");
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
        <DataTable
          name="against"
          caption="the list beside the network"
          rows={compare.data}
          columns={AGAINST}
          rowKey={(one) => `${one.line} ${one.device} ${one.mac}`}
          empty="The list names nobody, and nobody is present."
          height="50vh"
        />
      )}
    </>
  );
}
