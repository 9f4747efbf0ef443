// Closing and reopening one port: the plan first, then a confirmation, then what the switch says.
import { Box, Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Port, type Schemas } from "../api/client";
import { useMay } from "../session/useSession";
import { Fact } from "../shared/Fact";
import { Facts } from "../shared/Grid";
import { Labelled, OneOf } from "../shared/Labelled";
import { ErrorNotice, Notice } from "../shared/QueryView";
import { REOPENS, secondsOf, stateText } from "./model";

type Kind = "close-port" | "reopen-port";

export function PortActions({ port }: { port: Port }) {
  const acts = useMay("act-on-ports");
  const [kind, setKind] = useState<Kind | null>(null);
  if (!acts) return null;
  const wanted: Kind = port.admin_up ? "close-port" : "reopen-port";
  return (
    <Box margin="0 0 10px">
      {kind === null ? (
        <Button size="xs" variant="outline" onClick={() => setKind(wanted)}>
          {wanted === "close-port" ? "Close this port" : "Reopen this port"}
        </Button>
      ) : (
        <ActionForm key={kind} port={port} kind={kind} done={() => setKind(null)} />
      )}
    </Box>
  );
}

function ActionForm({ port, kind, done }: { port: Port; kind: Kind; done: () => void }) {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const [after, setAfter] = useState<string>(REOPENS[0]);
  const [overrides, setOverrides] = useState<Schemas["Objection"]["guard"][]>([]);
  const body = (dry_run: boolean): Schemas["NewAction"] => ({
    kind,
    switch: port.switch,
    port: port.name,
    reason: reason.trim(),
    reopen_after_s: kind === "close-port" ? secondsOf(after) : 0,
    overrides: dry_run ? [] : overrides,
    dry_run,
  });
  const plan = useMutation({ mutationFn: () => need(api.POST("/api/v1/actions", { body: body(true) })) });
  const send = useMutation({
    mutationFn: () => need(api.POST("/api/v1/actions", { body: body(false) })),
    onSettled: () => client.invalidateQueries(),
  });
  const found = plan.data?.plan;
  const result = send.data?.action;
  const objecting = found?.objections.filter((one) => !overrides.includes(one.guard)) ?? [];
  return (
    <chakra.form
      border="1px solid"
      borderColor="line"
      borderRadius="6px"
      padding="10px 12px"
      aria-label={kind === "close-port" ? `close ${port.name}` : `reopen ${port.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        plan.mutate();
      }}
    >
      <Flex gap="10px" wrap="wrap" align="flex-end">
        <Labelled label="Reason" width="260px" maxLength={255} value={reason} onChange={setReason} />
        {kind === "close-port" && <OneOf label="Reopens" of={REOPENS} value={after} onChange={setAfter} />}
        <Button type="submit" size="sm" variant="outline" disabled={!reason.trim()} loading={plan.isPending}>
          Show the plan
        </Button>
        <Button size="sm" variant="ghost" onClick={done}>
          Leave it
        </Button>
      </Flex>
      {plan.error && <ErrorNotice error={plan.error} />}
      {found && !result && (
        <>
          <Plan plan={found} overrides={overrides} setOverrides={setOverrides} />
          {found.changes_nothing ? (
            <Notice tone="soft">It is so already: nothing is to be sent.</Notice>
          ) : (
            <Button
              size="sm"
              margin="8px 0 0"
              disabled={objecting.length > 0}
              loading={send.isPending}
              onClick={() => send.mutate()}
            >
              Send it to {port.switch}
            </Button>
          )}
        </>
      )}
      {send.error && <ErrorNotice error={send.error} />}
      {result && (
        <Notice tone={result.state === "done" ? "soft" : "bad"}>
          {stateText(result)}: {result.outcome}
        </Notice>
      )}
    </chakra.form>
  );
}

function Plan({
  plan,
  overrides,
  setOverrides,
}: {
  plan: Schemas["ActionPlan"];
  overrides: Schemas["Objection"]["guard"][];
  setOverrides: (next: Schemas["Objection"]["guard"][]) => void;
}) {
  return (
    <Box aria-label="the plan" role="group" margin="10px 0 0">
      <Facts>
        <Fact label="Sets">
          {plan.object} from {plan.was} to {plan.to}
        </Fact>
        <Fact label="Written as">{plan.credential}</Fact>
        <Fact label="Rule">{plan.rule}</Fact>
        <Fact label="On the port now">
          {plan.present_count === 0
            ? "nobody"
            : plan.present
                .slice(0, 6)
                .map((one) => one.label || one.names[0] || one.mac)
                .join(", ")}
          {plan.present_count > 6 && ` and ${plan.present_count - 6} more`}
        </Fact>
      </Facts>
      {plan.objections.map((one) => (
        <Notice key={one.guard} tone="bad">
          <label>
            <input
              type="checkbox"
              checked={overrides.includes(one.guard)}
              onChange={(event) =>
                setOverrides(
                  event.target.checked
                    ? [...overrides, one.guard]
                    : overrides.filter((guard) => guard !== one.guard),
                )
              }
            />{" "}
            <strong>{one.guard}</strong>: {one.text}. Override it
          </label>
        </Notice>
      ))}
    </Box>
  );
}
