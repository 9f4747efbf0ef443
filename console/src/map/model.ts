// Where switches stand on the map: tiers by distance from the middle, ordered to cross few cables.
import type { Hop, NetworkMap } from "../api/client";
import { chunks } from "../shared/chunks";

export type Placed = { name: string; x: number; y: number; tier: number };
export type Layout = { places: Map<string, Placed>; width: number; height: number; tiers: number };

const COLUMN = 132;
const ROW = 118;
const MOST_IN_ROW = 16;

/** The same switches and cables always give the same picture. */
export function layOut(map: NetworkMap): Layout {
  const near = neighbours(map);
  const tierOf = tiers(map);
  const rows: string[][] = [];
  for (const one of map.switches) {
    const tier = tierOf.get(one.name) ?? 0;
    rows[tier] = [...(rows[tier] ?? []), one.name];
  }
  const order = barycentres(rows, near);
  // A tier of many takes several rows, so that it stays readable with hundreds of switches.
  const lines = order.flatMap((row) => chunks(row, MOST_IN_ROW));
  const width = Math.max(...lines.map((line) => line.length), 1) * COLUMN;
  const places = new Map<string, Placed>();
  lines.forEach((line, y) => {
    const wanted = line.map((name, at) => {
      const above = (near.get(name) ?? []).flatMap((other) => places.get(other)?.x ?? []);
      const even = (width * (at + 0.5)) / line.length;
      return above.length ? above.reduce((a, b) => a + b, 0) / above.length : even;
    });
    const xs = spread(wanted, width);
    line.forEach((name, at) => {
      places.set(name, { name, x: xs[at] ?? 0, y: y * ROW + 50, tier: tierOf.get(name) ?? 0 });
    });
  });
  return { places, width, height: lines.length * ROW, tiers: lines.length };
}

/** As near to the wanted x as the column spacing allows, within the width. */
export function spread(wanted: number[], width: number): number[] {
  const xs: number[] = [];
  for (const [at, x] of wanted.entries()) {
    const least = at === 0 ? COLUMN / 2 : (xs[at - 1] ?? 0) + COLUMN;
    xs.push(Math.max(least, x - centring(wanted, at)));
  }
  let most = width - COLUMN / 2;
  for (let at = xs.length - 1; at >= 0; at -= 1) {
    xs[at] = Math.min(xs[at] ?? 0, most);
    most = (xs[at] ?? 0) - COLUMN;
  }
  return xs;
}

/** Siblings with the same target are spread around it, not to its right. */
function centring(wanted: number[], at: number): number {
  const same = wanted.filter((x) => x === wanted[at]).length;
  const before = wanted.slice(0, at).filter((x) => x === wanted[at]).length;
  return before === 0 ? ((same - 1) * COLUMN) / 2 : 0;
}

function neighbours(map: NetworkMap): Map<string, string[]> {
  const near = new Map<string, string[]>(map.switches.map((one) => [one.name, []]));
  for (const link of map.links) {
    near.get(link.a)?.push(link.b);
    near.get(link.b)?.push(link.a);
  }
  return near;
}

/** Distance from the switches with the most cables, which are taken as the middle of the network. */
export function tiers(map: NetworkMap): Map<string, number> {
  const near = neighbours(map);
  const degree = (name: string) => near.get(name)?.length ?? 0;
  const most = Math.max(0, ...map.switches.map((one) => degree(one.name)));
  const middle = map.switches.filter((one) => degree(one.name) === most && most > 0).map((one) => one.name);
  const found = new Map<string, number>(middle.map((name) => [name, 0]));
  const queue = [...middle];
  for (let at = 0; at < queue.length; at += 1) {
    const here = queue[at] ?? "";
    for (const next of near.get(here) ?? []) {
      if (!found.has(next)) {
        found.set(next, (found.get(here) ?? 0) + 1);
        queue.push(next);
      }
    }
  }
  const last = Math.max(0, ...found.values());
  for (const one of map.switches) if (!found.has(one.name)) found.set(one.name, last + 1);
  return found;
}

/** Each tier in the order of what it is connected to. */
function barycentres(rows: string[][], near: Map<string, string[]>): string[][] {
  const place = new Map<string, number>();
  const ordered: string[][] = [];
  for (const row of rows.filter(Boolean)) {
    const centre = (name: string) => {
      const above = (near.get(name) ?? []).flatMap((other) => place.get(other) ?? []);
      return above.length ? above.reduce((a, b) => a + b, 0) / above.length : Number.POSITIVE_INFINITY;
    };
    const sorted = [...row].sort((a, b) => centre(a) - centre(b) || a.localeCompare(b));
    sorted.forEach((name, at) => {
      place.set(name, (at + 0.5) / sorted.length);
    });
    ordered.push(sorted);
  }
  return ordered;
}

/** Cables on the path to an endpoint, as unordered pairs of names. */
export function pathPairs(hops: Hop[]): Set<string> {
  return new Set(hops.filter((hop) => hop.leads_to).map((hop) => pair(hop.switch, hop.leads_to)));
}

export const pair = (a: string, b: string) => [a, b].sort().join(" ");

/** What is looked for: a VLAN, a finding, a switch by its name; whatever else is typed is meant as an address. */
export function meant(text: string, map: NetworkMap | undefined): Record<string, string> {
  if (!text) return {};
  const [, kind, number] = /^(vlan|finding)[ :#]*(\d+)$/i.exec(text) ?? [];
  if (kind && number) return { [kind.toLowerCase()]: number };
  const named = map?.switches.find((one) => one.name.toLowerCase() === text.toLowerCase());
  return named ? { switch: named.name } : { mac: text };
}
