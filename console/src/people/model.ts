// What an entry of the audit log says, in a line.
import type { Schemas } from "../api/client";

export function whatText(one: Pick<Schemas["AuditEntry"], "before" | "after" | "note">): string {
  if (one.note) return one.note;
  const after = plain(one.after);
  return one.before == null ? after : `${plain(one.before)} → ${after}`;
}

function plain(value: unknown): string {
  if (value == null) return "";
  if (Array.isArray(value)) return value.map(plain).join(", ");
  if (typeof value === "object")
    return Object.entries(value)
      .filter(([, inner]) => inner != null && inner !== "")
      .map(([name, inner]) => `${name}: ${plain(inner)}`)
      .join(", ");
  return String(value);
}
