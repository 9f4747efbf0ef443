// Rules as a TOML file: out, and in after a look at what it would change.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, need } from "../api/client";
import { Heading } from "../shared/Grid";
import { ErrorNotice } from "../shared/QueryView";
import { Differences } from "./PendingEdits";

export function RulesFile() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [text, setText] = useState<string>();
  const save = useMutation({
    mutationFn: () => need(api.GET("/api/v1/rules/file")),
    onSuccess: (file) => offer(file.text),
  });
  const put = useMutation({
    mutationFn: ({ file, dry_run }: { file: string; dry_run: boolean }) =>
      need(api.PUT("/api/v1/rules/file", { body: { text: file, reason: "", dry_run } })),
    onSuccess: (outcome) => {
      if (!outcome.applied) return;
      setText(undefined);
      return client.invalidateQueries();
    },
  });
  const rehearse = useMutation({
    mutationFn: (file: string) => need(api.POST("/api/v1/rehearsals", { body: { file, changes: [] } })),
    onSuccess: (run) => navigate(`/rules/rehearsal?run=${run.id}`),
  });
  const error = save.error ?? put.error ?? rehearse.error;
  return (
    <>
      <Heading>As a file</Heading>
      <Flex gap="8px" align="center" wrap="wrap" margin="0 0 8px">
        <Button size="sm" variant="outline" onClick={() => save.mutate()}>
          Save all rules as TOML
        </Button>
        <label htmlFor="rules-file">or take them from</label>
        <input
          id="rules-file"
          type="file"
          accept=".toml,text/plain"
          onChange={async (event) => {
            const file = await event.target.files?.[0]?.text();
            setText(file);
            if (file !== undefined) put.mutate({ file, dry_run: true });
          }}
        />
        {text !== undefined && (
          <>
            <Button size="sm" variant="outline" onClick={() => rehearse.mutate(text)}>
              Rehearse it
            </Button>
            <Button
              size="sm"
              bg="tarn"
              color="onTarn"
              disabled={put.isPending || put.data?.differences.length === 0}
              onClick={() => put.mutate({ file: text, dry_run: false })}
            >
              Make the rules what it says
            </Button>
          </>
        )}
      </Flex>
      {error && <ErrorNotice error={error} />}
      {put.data && <Differences outcome={put.data} />}
    </>
  );
}

function offer(text: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/toml" }));
  link.download = "kiteroll-rules.toml";
  link.click();
  URL.revokeObjectURL(link.href);
}
