// How reading goes: how long it takes, how much it brings, what fails, by switch and over time.
import { Box, chakra } from "@chakra-ui/react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { readingsQuery } from "../api/resources/history";
import { Age } from "../shared/Age";
import { Heading, Title } from "../shared/Grid";
import { switchPath } from "../shared/links";
import { QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { fullTime } from "../shared/time";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { moreOf, rowsOf, serverSort } from "../table/paged";
import { Durations } from "./Durations";
import { type SwitchReadings, summed } from "./model";

type Reading = Schemas["ReadingSummary"];
const OUTCOMES: Record<string, string> = { complete: "read", partial: "partial", failed: "failed" };

const COLUMNS: Column<Reading>[] = [
  {
    id: "taken_at",
    header: "When",
    sortBy: "taken_at",
    width: 200,
    cell: (one) => fullTime(one.taken_at),
    text: (one) => one.taken_at,
  },
  {
    id: "switch",
    header: "Switch",
    width: 140,
    cell: (one) => <Link to={switchPath(one.switch)}>{one.switch}</Link>,
    text: (one) => one.switch,
  },
  {
    id: "outcome",
    header: "Outcome",
    width: 110,
    cell: (one) => <StatusText of={OUTCOMES[one.outcome] ?? one.outcome} />,
    text: (one) => one.outcome,
  },
  {
    id: "duration_ms",
    header: "Took (ms)",
    width: 90,
    number: true,
    cell: (one) => one.duration_ms,
    text: (one) => one.duration_ms,
  },
  {
    id: "rows",
    header: "Addresses",
    width: 90,
    number: true,
    cell: (one) => one.rows,
    text: (one) => one.rows,
  },
  {
    id: "changes",
    header: "Changes",
    width: 90,
    number: true,
    cell: (one) => one.changes,
    text: (one) => one.changes,
  },
  {
    id: "error",
    header: "What failed or is missing",
    width: 300,
    cell: (one) => <span className="soft">{missing(one)}</span>,
    text: missing,
  },
];

function missing(one: Reading): string {
  return [one.error, ...one.gaps.map((gap) => `${gap.table}: ${gap.why}`)].filter(Boolean).join("; ");
}

const BY_SWITCH: Column<SwitchReadings>[] = [
  {
    id: "switch",
    header: "Switch",
    cell: (one) => <Link to={`/history/readings?of=${encodeURIComponent(one.switch)}`}>{one.switch}</Link>,
    text: (one) => one.switch,
  },
  { id: "count", header: "Readings", number: true, cell: (one) => one.count, text: (one) => one.count },
  {
    id: "failed",
    header: "Not complete",
    number: true,
    cell: (one) => (one.failed > 0 ? <strong>{one.failed}</strong> : 0),
    text: (one) => one.failed,
  },
  {
    id: "median_ms",
    header: "Median (ms)",
    number: true,
    cell: (one) => one.median_ms,
    text: (one) => one.median_ms,
  },
  {
    id: "most_ms",
    header: "Longest (ms)",
    number: true,
    cell: (one) => one.most_ms,
    text: (one) => one.most_ms,
  },
  { id: "rows", header: "Addresses, last", number: true, cell: (one) => one.rows, text: (one) => one.rows },
  { id: "last_at", header: "Last", cell: (one) => <Age at={one.last_at} ago />, text: (one) => one.last_at },
];

const rowKey = (one: Reading) => `${one.switch} ${one.taken_at}`;

export function ReadingsPage() {
  const [params, setParams] = useSearchParams();
  const of = params.get("of") ?? "";
  const found = useInfiniteQuery(readingsQuery(of, serverSort(params.get("sort"), COLUMNS)));
  const rows = useMemo(() => rowsOf(found.data), [found.data]);
  const sums = useMemo(() => summed(rows), [rows]);
  return (
    <>
      <Title>Readings{of && ` of ${of}`}</Title>
      {of && (
        <chakra.p marginBottom="8px">
          <Link to={switchPath(of)}>The switch {of}</Link>.{" "}
          <chakra.button type="button" color="tarn" fontWeight={600} onClick={() => setParams({})}>
            All switches
          </chakra.button>
        </chakra.p>
      )}
      <QueryView query={found} rows={12} cutTold>
        {() => (
          <>
            {rows.length > 0 && <Durations readings={rows} />}
            {!of && sums.length > 0 && (
              <Box>
                <Heading>By switch, of the latest {rows.length} readings</Heading>
                <DataTable
                  name="by"
                  caption="readings by switch"
                  rows={sums}
                  columns={BY_SWITCH}
                  rowKey={(one) => one.switch}
                  empty=""
                />
              </Box>
            )}
            <Heading>One by one</Heading>
            <DataTable
              caption="readings"
              rows={rows}
              columns={COLUMNS}
              rowKey={rowKey}
              empty="Nothing has been read yet."
              more={moreOf(found)}
              exported={{ list: "readings", filters: of ? { switch: of } : {} }}
              height="60vh"
            />
          </>
        )}
      </QueryView>
    </>
  );
}
