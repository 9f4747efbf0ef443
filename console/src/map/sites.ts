// Where switches stand when sites are areas: each area a block, the middle of the network first. Without rendering.
import type { NetworkMap } from "../api/client";
import type { Layout, Placed } from "./model";

export type Area = { site: string; x: number; y: number; width: number; height: number };
export type SiteLayout = Layout & { areas: Area[] };

const CELL = { width: 140, height: 64 };
const PAD = 14;
const TITLE = 30;
const GAP = 46;
const MOST_COLUMNS = 6;
/** Width to height of the whole drawing, and what is lost between blocks of uneven height. */
const ASPECT = 3.2;

/** `tier`: how far from the middle each switch is. The same network always gives the same picture. */
export function layOutSites(map: NetworkMap, tier: Map<string, number>): SiteLayout {
  const inside = new Map<string, string[]>();
  for (const one of map.switches) inside.set(one.site, [...(inside.get(one.site) ?? []), one.name]);
  const depth = (name: string) => tier.get(name) ?? 0;
  const blocks = [...inside].map(([site, names]) => {
    names.sort((a, b) => depth(a) - depth(b) || a.localeCompare(b, undefined, { numeric: true }));
    const columns = Math.min(MOST_COLUMNS, Math.ceil(Math.sqrt(names.length * 1.4)));
    return {
      site,
      names,
      columns,
      nearest: Math.min(...names.map(depth)),
      width: columns * CELL.width + 2 * PAD,
      height: Math.ceil(names.length / columns) * CELL.height + TITLE + PAD,
    };
  });
  blocks.sort(
    (a, b) => a.nearest - b.nearest || b.names.length - a.names.length || a.site.localeCompare(b.site),
  );
  const surface = blocks.reduce((sum, one) => sum + (one.width + GAP) * (one.height + GAP), 0);
  const widest = Math.max(...blocks.map((one) => one.width), Math.sqrt(surface * ASPECT));
  const places = new Map<string, Placed>();
  const areas: Area[] = [];
  let x = 0;
  let y = 0;
  let row = 0;
  for (const block of blocks) {
    if (x > 0 && x + block.width > widest) {
      x = 0;
      y += row + GAP;
      row = 0;
    }
    areas.push({ site: block.site, x, y, width: block.width, height: block.height });
    block.names.forEach((name, at) => {
      places.set(name, {
        name,
        x: x + PAD + ((at % block.columns) + 0.5) * CELL.width,
        y: y + TITLE + (Math.floor(at / block.columns) + 0.5) * CELL.height,
        tier: depth(name),
      });
    });
    x += block.width + GAP;
    row = Math.max(row, block.height);
  }
  return { places, areas, width: widest, height: y + row, tiers: 0 };
}
