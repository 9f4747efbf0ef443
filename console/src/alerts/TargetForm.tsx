// Adds a target, or changes one.
import { Button, chakra, Flex } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, need, type Schemas } from "../api/client";
import { Labelled, OneOf, Tick } from "../shared/Labelled";
import { ErrorNotice } from "../shared/QueryView";
import { names, type Target } from "./model";

type Settings = Target["settings"];
type Kind = Settings["kind"];
const KINDS: readonly Kind[] = ["webhook", "mail", "syslog", "folder"];

const EMPTY: { [K in Kind]: Extract<Settings, { kind: K }> } = {
  webhook: { kind: "webhook", url: "", template: "", content_type: "application/json", ca_file: "" },
  mail: {
    kind: "mail",
    host: "",
    port: 587,
    security: "starttls",
    sender: "",
    recipients: [],
    user: "",
    ca_file: "",
  },
  syslog: { kind: "syslog", host: "", port: 6514, transport: "tls", facility: 16, ca_file: "" },
  folder: { kind: "folder", path: "" },
};

export function TargetForm({ of, onDone }: { of: Target | null; onDone: () => void }) {
  const client = useQueryClient();
  const [name, setName] = useState(of?.name ?? "");
  const [settings, setSettings] = useState<Settings>(of?.settings ?? EMPTY.webhook);
  const [secret, setSecret] = useState("");
  const [auditLog, setAuditLog] = useState(of?.audit_log ?? false);
  const [enabled, setEnabled] = useState(of?.enabled ?? true);
  const set = useMutation({
    meta: { done: "The target is saved." },
    mutationFn: () => {
      const body: Schemas["AlertTargetSettings"] = {
        settings,
        secret: secret || null,
        enabled,
        audit_log: auditLog,
      };
      return need(api.PUT("/api/v1/alert-targets/{name}", { params: { path: { name: name.trim() } }, body }));
    },
    onSuccess: onDone,
    onSettled: () => client.invalidateQueries({ queryKey: ["alerts"] }),
  });
  const keptSecret = of?.has_secret ? "as it is" : "";
  return (
    <chakra.form
      margin="10px 0"
      aria-label={of ? `change ${of.name}` : "new target"}
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate();
      }}
    >
      <Flex gap="10px" wrap="wrap" align="flex-end">
        {!of && <Labelled label="Name" value={name} onChange={setName} />}
        {!of && (
          <OneOf
            label="Kind"
            of={KINDS}
            value={settings.kind}
            onChange={(kind) => setSettings(EMPTY[kind])}
          />
        )}
        <Fields of={settings} onChange={setSettings} />
        {(settings.kind === "webhook" || settings.kind === "mail") && (
          <Labelled
            label={settings.kind === "mail" ? "Password" : "Signed with"}
            type="password"
            autoComplete="new-password"
            value={secret}
            placeholder={keptSecret}
            onChange={setSecret}
          />
        )}
        {settings.kind !== "folder" && (
          <Labelled
            label="Authorities to trust (PEM file)"
            value={settings.ca_file ?? ""}
            placeholder="those of the system"
            onChange={(ca_file) => setSettings({ ...settings, ca_file })}
          />
        )}
      </Flex>
      <Flex gap="14px" wrap="wrap" align="center" margin="8px 0">
        <Tick label="send the audit log there too" checked={auditLog} onChange={setAuditLog} />
        <Tick label="on" checked={enabled} onChange={setEnabled} />
        <Button type="submit" size="sm" variant="outline" disabled={!name.trim()} loading={set.isPending}>
          {of ? `Save ${of.name}` : "Add it"}
        </Button>
        <Button type="button" size="sm" variant="plain" onClick={onDone}>
          Leave it
        </Button>
      </Flex>
      {set.error && <ErrorNotice error={set.error} />}
    </chakra.form>
  );
}

function Fields({ of, onChange }: { of: Settings; onChange: (next: Settings) => void }) {
  switch (of.kind) {
    case "webhook":
      return (
        <>
          <Labelled
            label="URL"
            width="320px"
            placeholder="https://"
            value={of.url}
            onChange={(url) => onChange({ ...of, url })}
          />
          <Labelled
            label="Template (empty: JSON)"
            width="320px"
            placeholder={'{"text": "$severity: $title $link"}'}
            value={of.template ?? ""}
            onChange={(template) => onChange({ ...of, template })}
          />
        </>
      );
    case "mail":
      return (
        <>
          <Labelled label="Server" value={of.host} onChange={(host) => onChange({ ...of, host })} />
          <PortField of={of.port ?? 587} onChange={(port) => onChange({ ...of, port })} />
          <OneOf
            label="Security"
            of={["starttls", "tls", "none"] as const}
            value={of.security ?? "starttls"}
            onChange={(security) => onChange({ ...of, security })}
          />
          <Labelled label="From" value={of.sender} onChange={(sender) => onChange({ ...of, sender })} />
          <Labelled
            label="To"
            placeholder="with commas between"
            value={of.recipients.join(", ")}
            onChange={(text) => onChange({ ...of, recipients: names(text) })}
          />
          <Labelled label="User" value={of.user ?? ""} onChange={(user) => onChange({ ...of, user })} />
        </>
      );
    case "syslog":
      return (
        <>
          <Labelled label="Receiver" value={of.host} onChange={(host) => onChange({ ...of, host })} />
          <PortField of={of.port ?? 6514} onChange={(port) => onChange({ ...of, port })} />
          <OneOf
            label="By"
            of={["tls", "tcp", "udp"] as const}
            value={of.transport ?? "tls"}
            onChange={(transport) => onChange({ ...of, transport })}
          />
        </>
      );
    case "folder":
      return (
        <Labelled
          label="Folder of the service's machine"
          width="320px"
          placeholder="/"
          value={of.path}
          onChange={(path) => onChange({ ...of, path })}
        />
      );
  }
}

function PortField({ of, onChange }: { of: number; onChange: (port: number) => void }) {
  return (
    <Labelled
      label="Port"
      type="number"
      width="90px"
      value={String(of)}
      onChange={(text) => onChange(Number(text))}
    />
  );
}
