// What is done with many switches at once: read, one setting changed, removed.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Switch } from "../api/client";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Confirm } from "../shared/Confirm";
import { Choice, Field } from "../shared/Grid";
import { ErrorNotice } from "../shared/QueryView";

const SETTABLE = {
  site: "site",
  groups: "groups",
  interval_s: "read every (s)",
  credential: "credential",
  hold_time_s: "hold quiet addresses (s)",
  table_size: "addresses its table holds",
} as const;
type Settable = keyof typeof SETTABLE;

/** One setting of many switches, as one change: all of them or none. */
export function BulkSwitches({ switches, done }: { switches: Switch[]; done: () => void }) {
  const client = useQueryClient();
  const mayChange = useMay("administer");
  const [what, setWhat] = useState<Settable>("site");
  const [value, setValue] = useState("");
  const settled = { onSuccess: done, onSettled: () => client.invalidateQueries({ queryKey: ["switches"] }) };
  const read = useMutation({
    meta: { done: "A round has begun." },
    mutationFn: () =>
      need(api.POST("/api/v1/rounds", { body: { switches: switches.map((one) => one.name), all: false } })),
    onSuccess: done,
    onSettled: () => client.invalidateQueries({ queryKey: ["rounds"] }),
  });
  const change = useMutation({
    meta: { done: "The selected switches are changed." },
    mutationFn: (part: Record<string, unknown>) =>
      need(
        api.PATCH("/api/v1/switches", {
          body: { change: Object.fromEntries(switches.map((one) => [one.name, part])), dry_run: false },
        }),
      ),
    ...settled,
  });
  const remove = useMutation({
    meta: { done: "The selected switches are removed." },
    mutationFn: async () => {
      for (const one of switches) {
        await drop(api.DELETE("/api/v1/switches/{name}", { params: { path: { name: one.name } } }));
      }
    },
    ...settled,
  });
  const text = value.trim();
  const given =
    what === "groups"
      ? text.split(/[,;\s]+/).filter(Boolean)
      : what === "site" || what === "credential"
        ? text
        : text === ""
          ? null
          : Number(text);
  const error = read.error ?? change.error ?? remove.error;
  return (
    <>
      <Button size="xs" variant="outline" loading={read.isPending} onClick={() => read.mutate()}>
        Read now
      </Button>
      {mayChange && (
        <>
          <Flex
            as="form"
            gap="6px"
            align="center"
            wrap="wrap"
            onSubmit={(event) => {
              event.preventDefault();
              change.mutate({ [what]: given });
            }}
          >
            <Choice
              aria-label="setting to change"
              value={what}
              onChange={(event) => setWhat(event.target.value as Settable)}
            >
              {Object.entries(SETTABLE).map(([name, label]) => (
                <option key={name} value={name}>
                  {label}
                </option>
              ))}
            </Choice>
            <Field
              aria-label={`new ${SETTABLE[what]}`}
              width="140px"
              value={value}
              onChange={(event) => setValue(event.target.value)}
            />
            <Button type="submit" size="xs" variant="outline" loading={change.isPending}>
              Set it
            </Button>
          </Flex>
          <Button size="xs" variant="outline" onClick={() => change.mutate({ enabled: false })}>
            Stop reading
          </Button>
          <Button size="xs" variant="outline" onClick={() => change.mutate({ enabled: true })}>
            Read again
          </Button>
          <Confirm
            label={`Remove ${switches.length}`}
            title={`Remove ${switches.length} switches?`}
            busy={remove.isPending}
            act={() => remove.mutate()}
          >
            They are read no more, and their stays end: {switches.map((one) => one.name).join(", ")}. What was
            recorded is kept as long as the retention says.
          </Confirm>
        </>
      )}
      {error && <ErrorNotice error={error} />}
    </>
  );
}
