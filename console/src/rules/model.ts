// Edits of rules before they are applied: what is marked, and how values read.
import type { Schemas } from "../api/client";

export type RuleChange = Schemas["RuleChange"];
export type CalledPort = Schemas["RollCallPort"];
/** What can be edited in the grid. */
export type Values = Pick<RuleChange, "seats" | "watched" | "vlans" | "on_breach">;
export type Pending = ReadonlyMap<string, RuleChange>;

export const ON_BREACH = ["record", "note", "warning", "serious", "propose", "close"] as const;
export const NAMES: Record<string, string> = {
  seats: "seats",
  watched: "watched",
  vlans: "VLANs",
  on_breach: "on breach",
  reopen_after: "reopen after",
  uplinks: "on uplinks",
};

export type Level = Pick<RuleChange, "group" | "switch" | "ports" | "port">;

/** The level that a choice of everything, a group or a switch stands for. */
export function chosenLevel(where: string): { group?: string; switch?: string } {
  const [kind, name] = where.split(":", 2);
  if (name === undefined) return {};
  return kind === "group" ? { group: name } : { switch: name };
}

/** The level in words, as the service says it. */
export function levelText(level: Level): string {
  if (level.group) return `group ${level.group}`;
  if (!level.switch) return "everything";
  if (level.ports) return `${level.switch} ports ${level.ports}`;
  return level.port ? `${level.switch} port ${level.port}` : `switch ${level.switch}`;
}

/** The edits with these values marked at these levels too. */
export function marked(pending: Pending, levels: Level[], values: Partial<Values>): Pending {
  const next = new Map(pending);
  for (const level of levels) {
    const key = levelText(level);
    next.set(key, { ...next.get(key), ...level, ...values });
  }
  return next;
}

/** The edits without one of them. */
export function unmarked(pending: Pending, key: string): Pending {
  const next = new Map(pending);
  next.delete(key);
  return next;
}

/** "10, 20-29" as numbers; null when it is no list of VLANs. */
export function parseVlans(text: string): number[] | null {
  const found = new Set<number>();
  for (const part of text.split(",").map((one) => one.trim())) {
    const range = /^(\d{1,4})(?:\s*-\s*(\d{1,4}))?$/.exec(part);
    if (!range) return null;
    const first = Number(range[1]);
    const last = Number(range[2] ?? range[1]);
    if (first < 1 || last > 4094 || last < first) return null;
    for (let vlan = first; vlan <= last; vlan++) found.add(vlan);
  }
  return [...found].sort((one, other) => one - other);
}

/** 1, 10-14: each run of neighbours as one text. */
export function rangesText(numbers: number[]): string {
  const runs: [number, number][] = [];
  for (const number of numbers) {
    const last = runs.at(-1);
    if (last && number === last[1] + 1) last[1] = number;
    else runs.push([number, number]);
  }
  return runs.map(([first, last]) => (first === last ? `${first}` : `${first}-${last}`)).join(", ");
}

export function valueText(value: unknown): string {
  if (value === null || value === undefined) return "inherited";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (Array.isArray(value)) return value.length === 0 ? "none" : rangesText(value);
  return String(value);
}

/** What an edit sets, in words. */
export function changeText(change: RuleChange): string {
  return Object.entries(NAMES)
    .filter(([name]) => name in change)
    .map(([name, said]) => `${said}: ${valueText(change[name as keyof RuleChange])}`)
    .join(", ");
}

/** How a port does, in a word. */
export function portState(port: CalledPort): string {
  if (port.exempt) return "exempt";
  if (port.barred > 0) return "barred";
  if (port.overfull) return "overfull";
  if (port.strangers > 0) return "stranger";
  if (port.broken) return "broken";
  return port.not_read ? "not read" : "in order";
}

const ORDER = ["barred", "overfull", "stranger", "broken", "not read", "in order", "exempt"];

/** Ports that need somebody first; those that need nobody more than others as they come. */
export function inNeed(ports: CalledPort[]): CalledPort[] {
  return [...ports].sort((a, b) => ORDER.indexOf(portState(a)) - ORDER.indexOf(portState(b)));
}

/** Days from one to the other, as YYYY-MM-DD in UTC, and how many breaches began on each. */
export function calendar(
  since: string,
  until: string,
  days: { day: string; breaches: number }[],
): { day: string; breaches: number }[] {
  const known = new Map(days.map((one) => [one.day, one.breaches]));
  const found = [];
  const day = new Date(`${since.slice(0, 10)}T00:00:00Z`);
  const last = new Date(until).getTime();
  while (day.getTime() <= last && found.length < 400) {
    const name = day.toISOString().slice(0, 10);
    found.push({ day: name, breaches: known.get(name) ?? 0 });
    day.setUTCDate(day.getUTCDate() + 1);
  }
  return found;
}

/** 02:1a:05, as people read the digits of an address or a prefix. */
export const addressText = (digits: string) => digits.match(/../g)?.join(":") ?? digits;
