// A switch or a credential as a form holds it: texts, until they are sent. Without rendering.
import type { Schemas, Switch } from "../api/client";

export type SwitchDraft = {
  name: string;
  source: Switch["source"];
  host: string;
  port: string;
  credential: string;
  access: AccessDraft;
  write_credential: string;
  site: string;
  groups: string;
  notes: string;
  interval_s: string;
  timeout_s: string;
  tries: string;
  table_size: string;
  hold_time_s: string;
  enabled: boolean;
};

export type AccessDraft = {
  version: "1" | "2c" | "3";
  community: string;
  user: string;
  auth: "sha1" | "sha224" | "sha256" | "sha384" | "sha512";
  auth_password: string;
  privacy_password: string;
};

/** In the choice of credentials: one of its own, typed here. */
export const OWN = "(its own)";

export const EMPTY_ACCESS: AccessDraft = {
  version: "2c",
  community: "",
  user: "",
  auth: "sha256",
  auth_password: "",
  privacy_password: "",
};

export function draftOf(one: Switch | null): SwitchDraft {
  const number = (value: number | null | undefined) =>
    value === null || value === undefined ? "" : String(value);
  return {
    name: one?.name ?? "",
    source: one?.source ?? "snmp",
    host: one?.host ?? "",
    port: String(one?.port ?? 161),
    credential: one ? (one.credential ?? OWN) : "",
    access: EMPTY_ACCESS,
    write_credential: one?.write_credential ?? "",
    site: one?.site ?? "",
    groups: one?.groups.join(", ") ?? "",
    notes: one?.notes ?? "",
    interval_s: number(one?.interval_s),
    timeout_s: number(one?.timeout_s),
    tries: number(one?.tries),
    table_size: number(one?.table_size),
    hold_time_s: number(one?.hold_time_s),
    enabled: one?.enabled ?? true,
  };
}

const number = (text: string) => (text.trim() === "" ? null : Number(text));
export const wordsOf = (text: string) => text.split(/[,;\s]+/).filter(Boolean);

export function accessOf(draft: AccessDraft): Schemas["Credential"] {
  if (draft.version !== "3") return { version: draft.version, community: draft.community };
  return {
    version: "3",
    user: draft.user,
    ...(draft.auth_password ? { auth: draft.auth, auth_password: draft.auth_password } : {}),
    ...(draft.privacy_password ? { privacy_password: draft.privacy_password } : {}),
  };
}

/** Whether anything of a credential was typed. */
export const hasAccess = (draft: AccessDraft) => draft.community !== "" || draft.user !== "";

export function newSwitch(draft: SwitchDraft): Schemas["NewSwitch"] {
  const snmp = draft.source === "snmp";
  return {
    name: draft.name.trim(),
    source: draft.source,
    host: draft.source === "files" ? "" : draft.host.trim(),
    port: snmp ? Number(draft.port) : 161,
    ...(snmp && draft.credential === OWN ? { access: accessOf(draft.access) } : {}),
    ...(snmp && draft.credential !== OWN && draft.credential ? { credential: draft.credential } : {}),
    ...(draft.write_credential ? { write_credential: draft.write_credential } : {}),
    site: draft.site.trim(),
    groups: wordsOf(draft.groups),
    notes: draft.notes,
    interval_s: number(draft.interval_s),
    timeout_s: number(draft.timeout_s),
    tries: number(draft.tries),
    table_size: number(draft.table_size),
    hold_time_s: number(draft.hold_time_s),
    enabled: draft.enabled,
  };
}

/** What differs between two drafts, as a change; what is left alone is not in it. */
export function switchChange(before: SwitchDraft, after: SwitchDraft): Schemas["SwitchChange"] {
  const now = newSwitch(after);
  const change: Record<string, unknown> = {};
  for (const name of Object.keys(after) as (keyof SwitchDraft)[]) {
    if (name === "credential" || name === "access" || name === "source") continue;
    if (after[name] !== before[name]) change[name] = now[name as keyof typeof now] ?? null;
  }
  if ("write_credential" in change) change.write_credential = after.write_credential;
  if (after.source === "snmp") {
    if (after.credential === OWN && hasAccess(after.access)) change.access = accessOf(after.access);
    else if (after.credential !== before.credential && after.credential !== OWN)
      change.credential = after.credential;
  }
  return change;
}
