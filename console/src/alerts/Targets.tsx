// Targets: where alerts are delivered to, how it goes, and a test.
import { Button } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../api/client";
import { targetsQuery } from "../api/resources/alerts";
import { drop } from "../people/drop";
import { Age } from "../shared/Age";
import { Grid, Sheet } from "../shared/Grid";
import { ErrorNotice, Nothing, Notice, QueryView } from "../shared/QueryView";
import { RowAction, RowActions } from "../shared/RowActions";
import { type Target, targetState, whereText } from "./model";
import { TargetForm } from "./TargetForm";

export function Targets() {
  const client = useQueryClient();
  const targets = useQuery(targetsQuery);
  const [edited, setEdited] = useState<Target | "new" | null>(null);
  const settled = { onSettled: () => client.invalidateQueries({ queryKey: ["alerts"] }) };
  const test = useMutation({
    mutationFn: (name: string) =>
      need(api.POST("/api/v1/alert-targets/{name}/test", { params: { path: { name } } })),
    ...settled,
  });
  const remove = useMutation({
    meta: { done: "The target is removed." },
    mutationFn: (name: string) =>
      drop(api.DELETE("/api/v1/alert-targets/{name}", { params: { path: { name } } })),
    ...settled,
  });
  const error = test.error ?? remove.error;
  return (
    <>
      {error && <ErrorNotice error={error} />}
      {test.data && (
        <Notice tone="warn">
          {test.data.delivered
            ? `✓ The test reached ${test.variables} in ${test.data.duration_s.toFixed(2)} s.`
            : `✕ The test did not reach ${test.variables}: ${test.data.error}`}
        </Notice>
      )}
      <Sheet tabIndex={0} aria-label="alert targets">
        <QueryView query={targets} rows={2}>
          {(found) =>
            found.length === 0 ? (
              <Nothing>No targets: alerts have nowhere to go.</Nothing>
            ) : (
              <Grid>
                <thead>
                  <tr>
                    <th>Name</th>
                    <th>Kind</th>
                    <th>Where</th>
                    <th>State</th>
                    <th>Waiting</th>
                    <th>Last sent</th>
                    <th>Change</th>
                  </tr>
                </thead>
                <tbody>
                  {found.map((one) => (
                    <tr key={one.name}>
                      <td>
                        <strong>{one.name}</strong>
                      </td>
                      <td>{one.settings.kind}</td>
                      <td>
                        {whereText(one.settings)}
                        {one.audit_log && ", with the audit log"}
                      </td>
                      <td>
                        {targetState(one)}
                        {one.error && `: ${one.error}`}
                      </td>
                      <td className="n">{one.waiting}</td>
                      <td className="tight">
                        {one.last_sent_at ? <Age at={one.last_sent_at} ago /> : "never"}
                      </td>
                      <RowActions>
                        <RowAction
                          label={`Test ${one.name}`}
                          loading={test.isPending && test.variables === one.name}
                          onClick={() => test.mutate(one.name)}
                        >
                          Test
                        </RowAction>
                        <RowAction label={`Change ${one.name}`} onClick={() => setEdited(one)}>
                          Change
                        </RowAction>
                        <RowAction label={`Remove ${one.name}`} onClick={() => remove.mutate(one.name)}>
                          Remove
                        </RowAction>
                      </RowActions>
                    </tr>
                  ))}
                </tbody>
              </Grid>
            )
          }
        </QueryView>
      </Sheet>
      {edited === null ? (
        <Button size="sm" variant="outline" margin="10px 0" onClick={() => setEdited("new")}>
          New target
        </Button>
      ) : (
        <TargetForm
          key={edited === "new" ? "" : edited.name}
          of={edited === "new" ? null : edited}
          onDone={() => setEdited(null)}
        />
      )}
    </>
  );
}
