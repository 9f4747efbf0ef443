// Who changed what, when and from where, before and after; and whether the log is as it was written.
import { Button, Flex } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { auditQuery } from "../api/resources/people";
import { Field, Title } from "../shared/Grid";
import { ErrorNotice, Notice } from "../shared/QueryView";
import { fullTime } from "../shared/time";
import { usePutParam } from "../shared/usePutParam";
import type { Column } from "../table/model";
import { PagedTable } from "../table/PagedTable";
import { whatText } from "./model";

type Entry = Schemas["AuditEntry"];

export function AuditPage() {
  const [params] = useSearchParams();
  const given = (name: string) => params.get(name) || null;
  const filter = { by: given("by"), action: given("action"), q: given("q") };
  const found = useInfiniteQuery(auditQuery(filter));
  const verify = useMutation({ mutationFn: () => need(api.GET("/api/v1/audit-log/verdict")) });
  const set = usePutParam({ replace: true });
  return (
    <>
      <Title>Audit log</Title>
      <Flex gap="8px" align="center" wrap="wrap" margin="0 0 10px">
        {(["by", "action", "q"] as const).map((name) => (
          <Field
            key={name}
            aria-label={LABELS[name]}
            placeholder={LABELS[name]}
            value={params.get(name) ?? ""}
            onChange={(event) => set(name, event.target.value)}
          />
        ))}
        <Button size="sm" variant="outline" loading={verify.isPending} onClick={() => verify.mutate()}>
          Is it whole?
        </Button>
        <Button asChild size="sm" variant="outline">
          <a href="/api/v1/audit-log/export" download>
            Export with digests
          </a>
        </Button>
      </Flex>
      {verify.error && <ErrorNotice error={verify.error} />}
      {verify.data && <Verdict of={verify.data} />}
      <PagedTable
        query={found}
        expected={8}
        caption="changes"
        columns={COLUMNS}
        rowKey={(one) => String(one.number)}
        empty="No such change is in the log."
      />
    </>
  );
}

const LABELS = { by: "who", action: "action, or its beginning", q: "in subject or values" };

function Verdict({ of }: { of: Schemas["AuditVerdict"] }) {
  return (
    <Notice tone="warn">
      {of.intact
        ? `✓ ${of.entries} entries, as they were written. Last digest: ${of.last_digest}`
        : `✕ broken at entry ${of.broken_at}: ${of.why}`}
    </Notice>
  );
}

function What(one: Entry) {
  return <span style={{ overflowWrap: "anywhere" }}>{whatText(one)}</span>;
}

const RESULTS = { done: "✓ done", failed: "✕ refused", begun: "◌ not finished" };
const from = (one: Entry) => [one.client, one.via].filter(Boolean).join(", ");

const COLUMNS: Column<Entry>[] = [
  {
    id: "number",
    header: "No.",
    width: 70,
    number: true,
    cell: (one) => <span className="soft">{one.number}</span>,
    text: (one) => one.number,
  },
  { id: "at", header: "At", width: 200, cell: (one) => fullTime(one.at), text: (one) => one.at },
  { id: "by", header: "Who", width: 90, cell: (one) => <strong>{one.by}</strong>, text: (one) => one.by },
  { id: "action", header: "Did", width: 140, cell: (one) => one.action, text: (one) => one.action },
  { id: "subject", header: "To", width: 160, cell: (one) => one.subject, text: (one) => one.subject },
  {
    id: "stage",
    header: "Result",
    width: 110,
    cell: (one) => RESULTS[one.stage],
    text: (one) => RESULTS[one.stage],
  },
  // Long values break anywhere, so that the other columns stay on one line and in sight.
  { id: "what", header: "What", width: 280, cell: What, text: whatText },
  {
    id: "from",
    header: "From",
    width: 130,
    wide: true,
    cell: (one) => <span className="soft">{from(one)}</span>,
    text: from,
  },
];
