// Words for targets and routes.
import type { Schemas } from "../api/client";

type Settings = Schemas["AlertTarget"]["settings"];
export type Target = Schemas["AlertTarget"];
export type Route = Schemas["AlertRoute"];

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;

export function whereText(settings: Settings): string {
  switch (settings.kind) {
    case "webhook":
      return settings.url;
    case "mail":
      return `${settings.recipients.join(", ")} by ${settings.host}:${settings.port}`;
    case "syslog":
      return `${settings.host}:${settings.port} by ${settings.transport?.toUpperCase()}`;
    case "folder":
      return settings.path;
  }
}

export function targetState(one: Pick<Target, "enabled" | "failures" | "last_sent_at">): string {
  if (!one.enabled) return "○ off";
  if (one.failures > 0) return `▲ failing, ${one.failures} ${one.failures === 1 ? "try" : "tries"}`;
  return one.last_sent_at ? "● works" : "◌ not used yet";
}

/** What a route takes, in words. */
export function takesText(one: Pick<Route, "severity" | "kinds" | "sites" | "groups">): string {
  const worse = one.severity === "serious" ? "serious ones" : `${one.severity} and worse`;
  const parts = [one.kinds.length > 0 ? `${one.kinds.join(", ")}, ${worse}` : worse];
  if (one.sites.length > 0) parts.push(`at ${one.sites.join(", ")}`);
  if (one.groups.length > 0) parts.push(`in ${one.groups.join(", ")}`);
  return parts.join(" ");
}

export function hoursText(hours: Route["hours"]): string {
  const { days = [], since, until, zone } = hours;
  const named = days.length === 7 ? "" : dayRanges(days);
  const clock = since === until ? "" : `${since} to ${until}`;
  return named || clock ? [named, clock, zone].filter(Boolean).join(" ") : "always";
}

function dayRanges(days: readonly number[]): string {
  const parts: string[] = [];
  let at = 0;
  while (at < days.length) {
    let end = at;
    while (end + 1 < days.length && days[end + 1] === (days[end] ?? 0) + 1) end++;
    const first = DAYS[days[at] ?? 0];
    const last = DAYS[days[end] ?? 0];
    parts.push(at === end ? `${first}` : `${first} to ${last}`);
    at = end + 1;
  }
  return parts.join(", ");
}

export function spanText(seconds: number | null | undefined): string {
  if (seconds == null) return "";
  if (seconds % 86_400 === 0) return `${seconds / 86_400} d`;
  if (seconds % 3600 === 0) return `${seconds / 3600} h`;
  return `${Math.round(seconds / 60)} min`;
}

/** Names that were typed with commas between. */
export function names(text: string): string[] {
  return text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean);
}
