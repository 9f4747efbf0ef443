// Who changed what, when and from where, before and after; and whether the log is as it was written.
import { Button, Flex } from "@chakra-ui/react";
import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { auditQuery } from "../api/resources/people";
import { Field, Grid, Sheet, Title } from "../shared/Grid";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { fullTime } from "../shared/time";
import { usePutParam } from "../shared/usePutParam";
import { whatText } from "./model";

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
      <Sheet tabIndex={0} aria-label="changes">
        <QueryView query={found} rows={8}>
          {({ pages }) => {
            const entries = pages.flatMap((page) => page.items);
            return entries.length === 0 ? (
              <Nothing>No such change is in the log.</Nothing>
            ) : (
              <Entries entries={entries} />
            );
          }}
        </QueryView>
      </Sheet>
      {found.hasNextPage && (
        <Button
          size="sm"
          variant="outline"
          margin="10px 0"
          loading={found.isFetchingNextPage}
          onClick={() => found.fetchNextPage()}
        >
          Earlier ones
        </Button>
      )}
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

function Entries({ entries }: { entries: Schemas["AuditEntry"][] }) {
  return (
    <Grid>
      <thead>
        <tr>
          <th>No.</th>
          <th>At</th>
          <th>Who</th>
          <th>Did</th>
          <th>To</th>
          <th>Result</th>
          <th>What</th>
          <th>From</th>
        </tr>
      </thead>
      <tbody>
        {entries.map((one) => (
          <tr key={one.number}>
            <td className="n soft">{one.number}</td>
            <td className="tight">{fullTime(one.at)}</td>
            <td>
              <strong>{one.by}</strong>
            </td>
            <td className="tight">{one.action}</td>
            <td>{one.subject}</td>
            <td className="tight">{RESULTS[one.stage]}</td>
            <td>{whatText(one)}</td>
            <td className="soft tight">
              {one.client}
              {one.via && `, ${one.via}`}
            </td>
          </tr>
        ))}
      </tbody>
    </Grid>
  );
}

const RESULTS = { done: "✓ done", failed: "✕ refused", begun: "◌ not finished" };
