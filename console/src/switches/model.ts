// Logic of the switch page, without rendering.
import type { Finding, Port, Round, Stay, Switch } from "../api/client";

/** Stays on each port, by port name. */
export function byPort(stays: Stay[]): Map<string, Stay[]> {
  const found = new Map<string, Stay[]>();
  for (const stay of stays) {
    const there = found.get(stay.port);
    if (there) there.push(stay);
    else found.set(stay.port, [stay]);
  }
  return found;
}

/** Whether two lists hold the same stays, in all but when they were seen last. */
export function sameButSeen(some: Stay[], others: Stay[]): boolean {
  return (
    some.length === others.length &&
    some.every((one, at) => {
      const other = others[at];
      return one === other || JSON.stringify({ ...one, seen_at: other?.seen_at }) === JSON.stringify(other);
    })
  );
}

/** Names of the groups that some switch is in, by name. */
export function groupsOf(switches: Switch[]): string[] {
  return [...new Set(switches.flatMap((one) => one.groups))].sort();
}

export function sitesOf(switches: Switch[]): string[] {
  return [...new Set(switches.map((one) => one.site).filter((site) => site !== ""))].sort();
}

/** Progress of a round, or how it ended. */
export function roundText(round: Round): string {
  const failed = round.failed.length > 0 ? `, ${round.failed.length} not read completely` : "";
  if (round.state === "running") return `${round.tried} of ${round.total} tried${failed}`;
  if (round.state === "done") return `round ${round.id}: ${round.complete} of ${round.total} read${failed}`;
  return `round ${round.id} ${round.state}: ${round.remaining.length} of ${round.total} not read${failed}`;
}

/** How full the MAC address table is, if its size was set. */
export function tableUse(one: Switch): string {
  if (one.table_size === null) return `${one.present} (size not set)`;
  return `${one.present} of ${one.table_size}, ${Math.round((100 * one.present) / one.table_size)} %`;
}

/** How it is read, in words. */
export function addressText(one: Switch): string {
  if (one.source === "linux") return `bridge ${one.host} of this machine`;
  return one.source === "files" ? "readings are imported" : `${one.host}:${one.port}`;
}

/** A line in steps for counts over time, as an SVG path in a box of the given size. */
export function steps(
  counts: { at: string; count: number }[],
  now: number,
  width: number,
  height: number,
): string {
  const first = counts[0];
  if (!first) return "";
  const from = Date.parse(first.at);
  const most = Math.max(...counts.map((one) => one.count), 1);
  const x = (at: number) => ((at - from) / Math.max(1, now - from)) * width;
  const y = (count: number) => height - (count / most) * (height - 4);
  const moves = counts
    .slice(1)
    .map((one) => `H${x(Date.parse(one.at)).toFixed(1)}V${y(one.count).toFixed(1)}`);
  return `M0 ${y(first.count).toFixed(1)}${moves.join("")}H${width}`;
}

export type PortUse = Port["use"];

export const USE_WORDS: Record<PortUse, string> = {
  uplink: "uplink to another switch",
  "in use": "in use",
  quiet: "up, its endpoints are quiet",
  silent: "up, no address learned",
  shut: "shut on the switch",
  down: "down",
  idle: "not known to be up",
};

/** Ports that match the filter: by name, label, or an address on it. */
export function filterPorts(ports: Port[], stays: Map<string, Stay[]>, text: string): Port[] {
  const wanted = text.trim().toLowerCase();
  if (!wanted) return ports;
  const digits = wanted.replace(/[:\-. ]/g, "");
  return ports.filter(
    (port) =>
      port.name.toLowerCase() === wanted ||
      port.alias.toLowerCase().includes(wanted) ||
      port.leads_to.some((name) => name.toLowerCase().includes(wanted)) ||
      (stays.get(port.name) ?? []).some(
        (stay) => stay.mac.replaceAll(":", "").includes(digits) || String(stay.vlan) === wanted,
      ),
  );
}

export function speedText(bps: number | null): string {
  if (bps === null) return "";
  const units: [string, number][] = [
    ["Gb/s", 1e9],
    ["Mb/s", 1e6],
    ["kb/s", 1e3],
  ];
  const [unit, size] = units.find(([, least]) => bps >= least) ?? ["b/s", 1];
  return `${Number((bps / size).toFixed(2))} ${unit}`;
}

/** 10, 20–22, 99: VLANs as ranges, for ports that carry hundreds. */
export function vlanRanges(vlans: number[]): string {
  const parts: [number, number][] = [];
  for (const vlan of vlans) {
    const last = parts.at(-1);
    if (last && last[1] === vlan - 1) last[1] = vlan;
    else parts.push([vlan, vlan]);
  }
  return parts.map(([first, last]) => (first === last ? `${first}` : `${first}–${last}`)).join(", ");
}

/** How many endpoints a port carries, beside its seats; an address in two VLANs counts once. */
export function seatsText(call: {
  seats: number | "no limit" | null;
  count: number;
  room: number | null;
  overfull: boolean;
}): string {
  if (call.seats === null || call.seats === "no limit") return `${call.count} present, no limit`;
  const left = call.overfull ? ": overfull" : call.room === 0 ? ", none left" : `, room for ${call.room}`;
  return `${call.count} present, limit ${call.seats}${left}`;
}

/** What a port is marked by besides its use: open findings, and a broken rule. */
export type PortMark = { findings: string[]; rule: boolean };

/** Marks of the ports of a switch, by port name. */
export function portMarks(
  name: string,
  findings: Finding[],
  broken: { switch: string; port: string }[],
): Map<string, PortMark> {
  const marks = new Map<string, PortMark>();
  const mark = (port: string) => {
    const found = marks.get(port) ?? { findings: [], rule: false };
    marks.set(port, found);
    return found;
  };
  for (const one of findings) {
    if (one.state !== "open") continue;
    const there = new Set(one.ports.filter((port) => port.switch === name).map((port) => port.port));
    for (const port of there) if (port) mark(port).findings.push(one.title);
  }
  for (const one of broken) if (one.switch === name) mark(one.port).rule = true;
  return marks;
}

/** Ports as they sit on the front: one block for each member and module, as their names say. */
export function frontBlocks(ports: Port[]): { name: string; ports: Port[] }[] {
  const blocks = new Map<string, Port[]>();
  for (const port of [...ports].sort((a, b) => a.number - b.number)) {
    // "1/0/24", "ge-0/1/3", "Slot2 p4": what stands before the last number names the block.
    const place = /^(.*\d\D+)\d+$/.exec(port.name)?.[1] ?? "";
    blocks.set(place, [...(blocks.get(place) ?? []), port]);
  }
  return [...blocks].map(([name, inside]) => ({ name: name.replace(/\W+$/, ""), ports: inside }));
}
