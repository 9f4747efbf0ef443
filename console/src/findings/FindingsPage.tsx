// All findings: by state, severity, kind and site; many acknowledged or cleared at once.
import { Button, Flex } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, type Finding, need } from "../api/client";
import { allFindingsQuery, type FindingState, kindsQuery, type Severity } from "../api/resources/findings";
import { switchesQuery } from "../api/resources/switches";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { chunks } from "../shared/chunks";
import { Choice, Field, Title } from "../shared/Grid";
import { useAt } from "../shared/instant";
import { Labelled } from "../shared/Labelled";
import { findingPath } from "../shared/links";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { instantOfInput } from "../shared/time";
import { usePutParam } from "../shared/usePutParam";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { moreOf, rowsOf, serverSort } from "../table/paged";
import { FindingTitle } from "./FindingTitle";
import { severityRank } from "./model";

const STATES: FindingState[] = ["open", "acknowledged", "cleared"];
const SEVERITIES: Severity[] = ["serious", "warning", "note"];
const EMPTY: Record<FindingState, string> = {
  open: "No open findings.",
  acknowledged: "No findings are acknowledged.",
  cleared: "No findings have cleared yet.",
};

function columns(siteOf: Map<string, string>): Column<Finding>[] {
  const site = (one: Finding) =>
    [
      ...new Set(
        [one.switch, ...one.ports.map((port) => port.switch)].map((name) => siteOf.get(name ?? "") ?? ""),
      ),
    ]
      .filter(Boolean)
      .join(", ");
  return [
    {
      id: "severity",
      header: "Severity",
      sortBy: "severity",
      width: 110,
      cell: (one) => <StatusText of={one.severity} />,
      text: (one) => severityRank(one),
    },
    {
      id: "title",
      header: "What",
      width: 330,
      cell: (one) => <FindingTitle one={one} />,
      text: (one) => one.title,
    },
    {
      id: "cause",
      wide: true,
      header: "Likely cause",
      width: 300,
      cell: (one) => one.cause,
      text: (one) => one.cause,
    },
    {
      id: "kind",
      header: "Kind",
      sortBy: "kind",
      width: 140,
      extra: true,
      cell: (one) => one.kind,
      text: (one) => one.kind,
    },
    { id: "site", wide: true, header: "Site", width: 110, cell: site, text: site },
    {
      id: "count",
      wide: true,
      header: "Evidence",
      width: 80,
      number: true,
      cell: (one) => one.count,
      text: (one) => one.count,
    },
    {
      id: "opened_at",
      header: "Since",
      sortBy: "opened_at",
      width: 90,
      cell: (one) => <Age at={one.opened_at} />,
      text: (one) => one.opened_at,
    },
    {
      id: "last_at",
      header: "Quiet for",
      sortBy: "last_at",
      width: 90,
      cell: (one) => <Age at={one.last_at} />,
      text: (one) => one.last_at,
    },
    {
      id: "acknowledged_by",
      header: "Looked after by",
      width: 150,
      extra: true,
      cell: (one) => [one.acknowledged_by, one.note].filter(Boolean).join(": "),
      text: (one) => one.acknowledged_by ?? "",
    },
  ];
}

const rowKey = (one: Finding) => String(one.id);

export function FindingsPage() {
  const [params] = useSearchParams();
  const state = STATES.find((one) => one === params.get("state")) ?? "open";
  const severity = SEVERITIES.find((one) => one === params.get("severity"));
  const kinds = useQuery(kindsQuery).data?.items.map((one) => one.kind) ?? [];
  const kind = (params.get("kind") ?? "") as Finding["kind"] | "";
  const parts = params.get("parts") === "yes";
  const at = useAt();
  const when = at ? { at } : { state: [state] };
  const switches = useQuery(switchesQuery);
  const all = useMemo(
    () => columns(new Map((switches.data?.items ?? []).map((one) => [one.name, one.site]))),
    [switches.data],
  );
  const found = useInfiniteQuery(
    allFindingsQuery(
      { ...when, parts, ...(severity ? { severity: [severity] } : {}), ...(kind ? { kind: [kind] } : {}) },
      serverSort(params.get("sort"), all) ?? (state === "cleared" && !at ? null : "severity"),
    ),
  );
  const rows = useMemo(() => rowsOf(found.data), [found.data]);
  const navigate = useNavigate();
  const mayAct = useMay("operate");
  const put = usePutParam();
  return (
    <>
      <Title>Findings</Title>
      <QueryView query={found} rows={8} cutTold>
        {() => (
          <DataTable
            caption="findings"
            rows={rows}
            columns={all}
            rowKey={rowKey}
            empty={severity || kind ? "None like that." : at ? "No finding was open." : EMPTY[state]}
            more={moreOf(found)}
            exported={{
              list: "findings",
              filters: { ...when, ...(severity ? { severity } : {}), ...(kind ? { kind } : {}) },
            }}
            open={(one) => navigate(findingPath(one.id))}
            bulk={
              mayAct && !at && state !== "cleared"
                ? (chosen, clear) => <Bulk findings={chosen} done={clear} />
                : undefined
            }
          >
            <Flex gap="8px" align="center" wrap="wrap">
              {(at ? [] : STATES).map((one) => (
                <Button
                  key={one}
                  size="sm"
                  variant="outline"
                  aria-pressed={one === state}
                  bg={one === state ? "tint" : "sheet"}
                  fontWeight={one === state ? 700 : 500}
                  onClick={() => put("state", one)}
                >
                  {one}
                </Button>
              ))}
              <Choice
                aria-label="severity"
                value={severity ?? ""}
                onChange={(event) => put("severity", event.target.value)}
              >
                <option value="">any severity</option>
                {SEVERITIES.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </Choice>
              <Choice aria-label="kind" value={kind} onChange={(event) => put("kind", event.target.value)}>
                <option value="">any kind</option>
                {[...new Set([...kinds, ...(kind ? [kind] : [])])].sort().map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </Choice>
              <label>
                <input type="checkbox" checked={parts} onChange={() => put("parts", parts ? "" : "yes")} />{" "}
                also those that another one explains
              </label>
            </Flex>
          </DataTable>
        )}
      </QueryView>
    </>
  );
}

/** Acknowledges or clears the selected ones; those that were cleared meanwhile stay as they are. */
function Bulk({ findings, done }: { findings: Finding[]; done: () => void }) {
  const client = useQueryClient();
  const [note, setNote] = useState("");
  const [until, setUntil] = useState("");
  const settled = { onSuccess: done, onSettled: () => client.invalidateQueries({ queryKey: ["findings"] }) };
  const acknowledge = useMutation({
    meta: { done: "The selected findings are acknowledged." },
    mutationFn: () =>
      eachPart(findings, (numbers) =>
        need(
          api.POST("/api/v1/findings/acknowledge", {
            body: { findings: numbers, note, until: instantOfInput(until) || null },
          }),
        ),
      ),
    ...settled,
  });
  const clear = useMutation({
    meta: { done: "The selected findings are cleared." },
    mutationFn: () =>
      eachPart(findings, (numbers) =>
        need(api.POST("/api/v1/findings/clear", { body: { findings: numbers } })),
      ),
    ...settled,
  });
  const error = acknowledge.error ?? clear.error;
  return (
    <>
      <Field
        aria-label="note for the selected"
        placeholder="note"
        value={note}
        onChange={(event) => setNote(event.target.value)}
      />
      <Labelled
        label="until (empty: until it is over)"
        type="datetime-local"
        value={until}
        onChange={setUntil}
      />
      <Button
        size="sm"
        bg="tarn"
        color="onTarn"
        loading={acknowledge.isPending}
        onClick={() => acknowledge.mutate()}
      >
        Acknowledge {findings.length}
      </Button>
      <Button size="sm" variant="outline" loading={clear.isPending} onClick={() => clear.mutate()}>
        Clear {findings.length}
      </Button>
      {error && <ErrorNotice error={error} />}
    </>
  );
}

/** As many as one call takes. */
const AT_ONCE = 1000;

async function eachPart(findings: Finding[], act: (numbers: number[]) => Promise<unknown>) {
  for (const part of chunks(findings, AT_ONCE)) await act(part.map((one) => one.id));
}
