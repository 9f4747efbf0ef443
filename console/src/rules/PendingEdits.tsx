// Edits that are not applied yet: what they would change, to rehearse, to apply, to undo.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, need, type Schemas } from "../api/client";
import { Grid, Heading, Sheet } from "../shared/Grid";
import { ErrorNotice, Notice } from "../shared/QueryView";
import { changeText, unmarked } from "./model";
import { useRules } from "./RulesLayout";

const MOST = 500;

export function PendingEdits() {
  const { pending, setPending } = useRules();
  const client = useQueryClient();
  const navigate = useNavigate();
  const changes = [...pending.values()];
  const patch = (dry_run: boolean) =>
    need(api.PATCH("/api/v1/rules", { body: { changes, reason: "", dry_run } }));
  const look = useMutation({ mutationFn: () => patch(true) });
  const apply = useMutation({
    mutationFn: () => patch(false),
    onSuccess: () => {
      setPending(new Map());
      look.reset();
      return client.invalidateQueries();
    },
  });
  const rehearse = useMutation({
    mutationFn: () => need(api.POST("/api/v1/rehearsals", { body: { changes } })),
    onSuccess: (run) => navigate(`/rules/rehearsal?run=${run.id}`),
  });
  if (changes.length === 0) {
    return apply.data?.applied ? <Applied outcome={apply.data} /> : null;
  }
  const error = apply.error ?? look.error ?? rehearse.error;
  return (
    <chakra.section aria-label="not applied yet" margin="0 0 14px">
      <Heading>
        {changes.length} {changes.length === 1 ? "change" : "changes"} not applied yet
      </Heading>
      <Sheet tabIndex={0} aria-label="changes not applied">
        <Grid>
          <tbody>
            {[...pending].map(([level, change]) => (
              <tr key={level}>
                <td>
                  <strong>{level}</strong>
                </td>
                <td>{changeText(change)}</td>
                <td className="n">
                  <Button
                    size="xs"
                    variant="outline"
                    aria-label={`Undo ${level}`}
                    onClick={() => setPending(unmarked(pending, level))}
                  >
                    Undo
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </Grid>
      </Sheet>
      <Flex align="center" gap="8px" wrap="wrap" margin="8px 0">
        <Button size="sm" variant="outline" onClick={() => look.mutate()}>
          Show the difference
        </Button>
        <Button size="sm" variant="outline" disabled={rehearse.isPending} onClick={() => rehearse.mutate()}>
          Rehearse over 30 days
        </Button>
        <Button size="sm" bg="tarn" color="onTarn" disabled={apply.isPending} onClick={() => apply.mutate()}>
          Apply
        </Button>
        <Button size="sm" variant="outline" onClick={() => setPending(new Map())}>
          Undo all
        </Button>
      </Flex>
      {look.data && <Differences outcome={look.data} />}
      {error && <ErrorNotice error={error} />}
    </chakra.section>
  );
}

function Applied({ outcome }: { outcome: Schemas["RulesOutcome"] }) {
  return (
    <Notice tone="soft">
      Applied: {outcome.differences.length} {outcome.differences.length === 1 ? "value" : "values"} changed.
    </Notice>
  );
}

/** What a change would make another, and what is probably not meant. */
export function Differences({ outcome }: { outcome: Schemas["RulesOutcome"] }) {
  return (
    <>
      {outcome.cautions.map((text) => (
        <Notice key={text} tone="warn">
          {text}
        </Notice>
      ))}
      {outcome.differences.length === 0 ? (
        <Notice tone="soft">Nothing differs from what is in force.</Notice>
      ) : (
        <Sheet tabIndex={0} aria-label="the difference" maxHeight="50vh" overflow="auto">
          <Grid>
            <thead>
              <tr>
                <th>Level</th>
                <th>What</th>
                <th>In force</th>
                <th>After</th>
              </tr>
            </thead>
            <tbody>
              {outcome.differences.slice(0, MOST).map((one) => (
                <tr key={`${one.level} ${one.what} ${one.address}`}>
                  <td>{one.level}</td>
                  <td>
                    {one.what} {one.address && <span className="mono">{one.address}</span>}
                  </td>
                  <td>{one.before ?? unset(one)}</td>
                  <td>
                    <strong>{one.after ?? unset(one)}</strong>
                  </td>
                </tr>
              ))}
            </tbody>
          </Grid>
        </Sheet>
      )}
      {outcome.differences.length > MOST && (
        <p>
          The first {MOST} of {outcome.differences.length}.
        </p>
      )}
    </>
  );
}

/** What stands for a value that is not set: entries of rolls inherit nothing. */
const unset = (one: Schemas["RuleDifference"]) => (one.address === null ? "inherited" : "");
