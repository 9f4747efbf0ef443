// Adds a switch, or changes one; its credential can be tried first, and what was read is shown.
import { Box, Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, fieldError, need, type Switch } from "../api/client";
import { credentialsQuery } from "../api/resources/inventory";
import { FormDialog } from "../shared/FormDialog";
import { Labelled, OneOf, Tick } from "../shared/Labelled";
import { FormError } from "../shared/QueryView";
import { AccessFields } from "./AccessFields";
import { accessOf, draftOf, newSwitch, OWN, type SwitchDraft, switchChange } from "./model";
import { Verdict } from "./Verdict";

const SOURCES = ["snmp", "linux", "files"] as const;
const SOURCE_TEXTS = {
  snmp: "read over SNMP",
  linux: "a bridge of this machine",
  files: "readings are imported",
};
const FIELDS = [
  ...[
    "name",
    "host",
    "port",
    "credential",
    "access",
    "community",
    "user",
    "auth_password",
    "privacy_password",
  ],
  ...["site", "groups", "notes", "interval_s", "timeout_s", "tries", "table_size", "hold_time_s"],
];

export function SwitchForm({
  of,
  proposed = {},
  onClose,
}: {
  /** Null: a new one. */
  of: Switch | null;
  proposed?: Partial<SwitchDraft>;
  onClose: (saved: string | null) => void;
}) {
  const client = useQueryClient();
  const credentials = useQuery(credentialsQuery);
  const [before] = useState<SwitchDraft>(() => ({ ...draftOf(of), ...proposed }));
  const [draft, setDraft] = useState(before);
  const put = (part: Partial<SwitchDraft>) => setDraft((now) => ({ ...now, ...part }));
  const save = useMutation({
    meta: { done: `${draft.name} is saved.` },
    mutationFn: () =>
      of
        ? need(
            api.PATCH("/api/v1/switches/{name}", {
              params: { path: { name: of.name } },
              body: switchChange(before, draft),
            }),
          )
        : need(api.POST("/api/v1/switches", { body: newSwitch(draft) })),
    onSuccess: (saved) => onClose(saved.name),
    onSettled: () => client.invalidateQueries(),
  });
  const trial = useMutation({
    mutationFn: () =>
      need(
        api.POST("/api/v1/credentials/test", {
          body: {
            host: draft.host.trim(),
            port: Number(draft.port),
            ...(draft.credential === OWN
              ? { access: accessOf(draft.access) }
              : { credential: draft.credential }),
          },
        }),
      ),
  });
  const named = credentials.data ?? [];
  const chosen = draft.credential || (named.length > 0 && !of ? "" : OWN);
  const error = save.error ?? trial.error;
  const text = (name: keyof SwitchDraft & string, label: string, more = {}) => (
    <Labelled
      label={label}
      value={String(draft[name])}
      error={fieldError(error, name)}
      onChange={(value) => put({ [name]: value })}
      {...more}
    />
  );
  const snmp = draft.source === "snmp";
  return (
    <FormDialog
      title={of ? `Change ${of.name}` : "Add a switch"}
      changed={JSON.stringify(draft) !== JSON.stringify(before)}
      onClose={() => onClose(null)}
      onSave={() => save.mutate()}
      saving={save.isPending}
      save={of ? "Save" : "Add the switch"}
      ready={draft.name.trim() !== ""}
      more={
        snmp && (
          <Button
            size="sm"
            variant="outline"
            loading={trial.isPending}
            loadingText="Asking it"
            disabled={!draft.host.trim() || (!draft.credential && chosen !== OWN)}
            onClick={() => trial.mutate()}
          >
            Try it first
          </Button>
        )
      }
    >
      <Flex gap="12px 16px" wrap="wrap" align="flex-start">
        {text("name", "Name", { autoFocus: true })}
        {!of && (
          <OneOf
            label="How it is read"
            of={SOURCES}
            texts={SOURCE_TEXTS}
            value={draft.source}
            onChange={(source) => put({ source })}
          />
        )}
        {snmp && text("host", "Address", { hint: "IP address or host name" })}
        {snmp && text("port", "UDP port", { width: "90px", inputMode: "numeric" })}
        {draft.source === "linux" && text("host", "Bridge", { hint: "BRIDGE, or BRIDGE@NAMESPACE" })}
      </Flex>
      {snmp && (
        <Box marginTop="14px">
          <OneOf
            label="Credential"
            of={[...named.map((one) => one.name), OWN]}
            texts={{
              [OWN]:
                of && before.credential === OWN ? "its own, as it is or typed below" : "its own, typed below",
            }}
            value={chosen}
            onChange={(credential) => put({ credential })}
            more={chosen === "" ? <option value="">choose one</option> : undefined}
          />
          {chosen === OWN && (
            <Box marginTop="8px">
              <AccessFields
                of={draft.access}
                error={error}
                onChange={(access) => put({ access, credential: OWN })}
              />
            </Box>
          )}
          {trial.data && <Verdict of={trial.data} />}
        </Box>
      )}
      <Flex gap="12px 16px" wrap="wrap" align="flex-start" marginTop="14px">
        {text("site", "Site")}
        {text("groups", "Groups", { hint: "with commas between" })}
        {text("notes", "Notes", { width: "300px" })}
      </Flex>
      <Flex gap="12px 16px" wrap="wrap" align="flex-start" marginTop="14px">
        {text("interval_s", "Read every (s)", {
          width: "110px",
          placeholder: "as set",
          inputMode: "numeric",
        })}
        {text("timeout_s", "Wait for an answer (s)", { width: "140px", placeholder: "as set" })}
        {text("tries", "Tries", { width: "80px", placeholder: "as set", inputMode: "numeric" })}
        {text("table_size", "Addresses its table holds", { width: "160px", placeholder: "not known" })}
        {text("hold_time_s", "Hold quiet addresses (s)", { width: "160px", placeholder: "by ageing time" })}
      </Flex>
      <Flex gap="16px" align="flex-end" marginTop="14px" wrap="wrap">
        {snmp && named.length > 0 && (
          <OneOf
            label="Written with"
            of={["", ...named.map((one) => one.name)]}
            texts={{ "": "it is only read" }}
            value={draft.write_credential}
            onChange={(write_credential) => put({ write_credential })}
          />
        )}
        <Tick label="read it" checked={draft.enabled} onChange={(enabled) => put({ enabled })} />
      </Flex>
      <FormError error={error} fields={FIELDS} />
    </FormDialog>
  );
}
