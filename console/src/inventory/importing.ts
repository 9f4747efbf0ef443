// An inventory as CSV: read, compared with the one there is, and made into one change. Without rendering.
import Papa from "papaparse";
import type { Schemas, Switch } from "../api/client";
import { draftOf, newSwitch, type SwitchDraft, switchChange } from "./model";

const COLUMNS = [
  ...[
    "name",
    "address",
    "host",
    "port",
    "source",
    "credential",
    "write_credential",
    "site",
    "groups",
    "notes",
  ],
  ...["interval_s", "timeout_s", "tries", "table_size", "hold_time_s", "enabled"],
];
/** What an exported inventory has besides: it is read from switches, and passed over. */
const MEASURED = [
  ...["credential_kind", "health", "healthy", "health_since", "tried_at", "read_at", "next_try_at", "error"],
  ...["warnings", "present", "sys_name", "description", "location", "contact", "bridge_address", "ageing_s"],
  ...[
    "model",
    "serial",
    "software",
    "topology_changes",
    "topology_changed_at",
    "learning_discards",
    "up_since",
  ],
];

export type Difference = { name: string; field: string; before: string; after: string };
export type Read = {
  add: Schemas["NewSwitch"][];
  change: Record<string, Schemas["SwitchChange"]>;
  differences: Difference[];
  unchanged: number;
  problems: string[];
};

/** What a file asks for. An empty cell leaves what is there as it is. */
export function readInventory(text: string, existing: Switch[]): Read {
  const read: Read = { add: [], change: {}, differences: [], unchanged: 0, problems: [] };
  const parsed = Papa.parse<Record<string, string>>(text.trim(), {
    header: true,
    skipEmptyLines: true,
    transformHeader: (name) => name.trim().toLowerCase(),
  });
  const heading = parsed.meta.fields ?? [];
  const unknown = heading.filter((name) => !COLUMNS.includes(name) && !MEASURED.includes(name));
  if (!heading.includes("name"))
    read.problems.push("The first line must name the columns, and one must be: name");
  if (unknown.length > 0)
    read.problems.push(`No such column: ${unknown.join(", ")}. There are ${COLUMNS.join(", ")}`);
  if (read.problems.length > 0) return read;
  for (const wrong of parsed.errors) {
    if (wrong.type !== "Delimiter") read.problems.push(`Line ${(wrong.row ?? 0) + 2}: ${wrong.message}`);
  }
  const known = new Map(existing.map((one) => [one.name, one]));
  const seen = new Set<string>();
  parsed.data.forEach((row, at) => {
    const name = row.name?.trim() ?? "";
    if (!name) read.problems.push(`Line ${at + 2}: it has no name`);
    else if (seen.has(name)) read.problems.push(`Line ${at + 2}: ${name} stands there twice`);
    else {
      seen.add(name);
      putRow(read, name, row, known.get(name) ?? null);
    }
  });
  return read;
}

function putRow(read: Read, name: string, row: Record<string, string>, was: Switch | null): void {
  const before = draftOf(was);
  const draft: SwitchDraft = { ...before, name, ...(was ? {} : { credential: "" }), ...given(row) };
  if (!was) {
    const added = newSwitch(draft);
    if (added.source === "snmp" && !added.host) read.problems.push(`${name} is new and has no address`);
    read.add.push(added);
    read.differences.push({ name, field: "", before: "", after: `new, ${added.host || added.source}` });
    return;
  }
  const change = switchChange(before, draft);
  const fields = Object.keys(change) as (keyof SwitchDraft)[];
  if (fields.length === 0) read.unchanged += 1;
  else read.change[name] = change;
  for (const field of fields) {
    read.differences.push({ name, field, before: String(before[field]), after: String(draft[field]) });
  }
}

function given(row: Record<string, string>): Partial<SwitchDraft> {
  const found: Record<string, string | boolean> = {};
  for (const [name, value] of Object.entries(row)) {
    const text = value?.trim() ?? "";
    if (text === "" || !COLUMNS.includes(name)) continue;
    if (name === "enabled") found.enabled = !["false", "no", "0"].includes(text.toLowerCase());
    else if (name === "groups")
      found.groups = text
        .split(/[;,\s]+/)
        .filter(Boolean)
        .join(", ");
    else if (name === "address") {
      const cut = /^\[?([^\]]+?)\]?(?::(\d+))?$/.exec(
        text.includes("]") || text.split(":").length === 2 ? text : `[${text}]`,
      );
      found.host = cut?.[1] ?? text;
      if (cut?.[2]) found.port = cut[2];
    } else found[name] = text;
  }
  return found;
}
