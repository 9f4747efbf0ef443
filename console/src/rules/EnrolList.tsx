// Enrolling from a list, or everybody who is present: checked first, then all of it or nothing.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need } from "../api/client";
import { Heading, Lines } from "../shared/Grid";
import { ErrorNotice } from "../shared/QueryView";
import { chosenLevel } from "./model";
import { Differences } from "./PendingEdits";
import { WhereChoice } from "./WhereChoice";

export function EnrolList() {
  const client = useQueryClient();
  const [where, setWhere] = useState("");
  const [text, setText] = useState("");
  const level = chosenLevel(where);
  const enrol = useMutation({
    mutationFn: ({ present, dry_run }: { present: boolean; dry_run: boolean }) =>
      need(
        present
          ? api.POST("/api/v1/rules/roll/present", { body: { level, note: "", dry_run, reason: "" } })
          : api.POST("/api/v1/rules/roll/list", {
              body: { text, level: where ? level : null, dry_run, reason: "" },
            }),
      ),
    onSuccess: (outcome) => outcome.applied && client.invalidateQueries(),
  });
  const ready = !enrol.isPending;
  return (
    <>
      <Heading>From a list, or everybody present</Heading>
      <p>
        CSV with a heading: address, and maybe group, switch, ports, port, vlan, note, owner, expires. Lines
        that name no place are enrolled at the one chosen here.
      </p>
      <Flex gap="8px" align="center" wrap="wrap" margin="6px 0">
        <WhereChoice id="enrol-where" label="Enrol at" where={where} setWhere={setWhere} />
        <Button
          size="sm"
          variant="outline"
          disabled={enrol.isPending}
          onClick={() => enrol.mutate({ present: true, dry_run: true })}
        >
          Who is present
        </Button>
        <Button
          size="sm"
          variant="outline"
          disabled={!ready}
          onClick={() => enrol.mutate({ present: true, dry_run: false })}
        >
          Enrol everybody present
        </Button>
      </Flex>
      <Lines
        aria-label="list to enrol"
        value={text}
        rows={4}
        placeholder={"address,switch,port,note\n02:1a:0a:05:17:61,workshop,p3,crew laptop"}
        onChange={(event) => setText(event.target.value)}
      />
      <Flex gap="8px" margin="6px 0">
        <Button
          size="sm"
          variant="outline"
          disabled={text.trim() === "" || enrol.isPending}
          onClick={() => enrol.mutate({ present: false, dry_run: true })}
        >
          Check the list
        </Button>
        <Button
          size="sm"
          variant="outline"
          disabled={text.trim() === "" || !ready}
          onClick={() => enrol.mutate({ present: false, dry_run: false })}
        >
          Enrol the list
        </Button>
      </Flex>
      {enrol.error && <ErrorNotice error={enrol.error} />}
      {enrol.data && <Differences outcome={enrol.data} />}
    </>
  );
}
