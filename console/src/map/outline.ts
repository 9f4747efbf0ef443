// The network as an outline: what is connected to what, from the middle outwards, for more switches than a
// drawing can show. Switches with no other behind them are shown together in lines, as chips.
import type { MapLink, MapSwitch, NetworkMap } from "../api/client";

export type Branch = {
  own: MapSwitch;
  /** The cable towards the middle; undefined at a root. */
  cable: MapLink | undefined;
  /** Other switches are connected to these. */
  inner: Branch[];
  /** Switches with no other behind them. */
  leaves: Branch[];
  /** Cables besides the one towards the middle: the other ends. */
  also: string[];
  behind: number;
  /** Open findings of the switches behind. */
  findings: number;
  /** Switches behind that are not read completely. */
  unhealthy: number;
};

export type Outline = { roots: Branch[]; alone: MapSwitch[]; above: Map<string, string> };

const ROWS = 30;

/** The same switches and cables always give the same outline: names break ties. */
export function outline(map: NetworkMap): Outline {
  const switches = new Map(map.switches.map((one) => [one.name, one]));
  const cables = new Map<string, MapLink[]>(map.switches.map((one) => [one.name, []]));
  for (const link of map.links) {
    if (!switches.has(link.a) || !switches.has(link.b)) continue;
    cables.get(link.a)?.push(link);
    cables.get(link.b)?.push(link);
  }
  const degree = (name: string) => cables.get(name)?.length ?? 0;
  const byDegree = [...switches.keys()].sort((a, b) => degree(b) - degree(a) || a.localeCompare(b));
  const above = new Map<string, string>();
  const seen = new Set<string>();
  const roots: Branch[] = [];
  for (const name of byDegree) {
    if (degree(name) === 0 || seen.has(name)) continue;
    const middle = middleOf(spread(name, switches, cables, new Set(), new Map()));
    roots.push(spread(middle, switches, cables, seen, above));
  }
  return { roots, alone: map.switches.filter((one) => degree(one.name) === 0), above };
}

/** Outwards from a root, nearest first, so that each switch is where the path to it is shortest. */
function spread(
  root: string,
  switches: Map<string, MapSwitch>,
  cables: Map<string, MapLink[]>,
  seen: Set<string>,
  above: Map<string, string>,
): Branch {
  const made: Branch[] = [];
  const below = new Map<string, Branch[]>();
  const queue: { name: string; cable: MapLink | undefined }[] = [{ name: root, cable: undefined }];
  seen.add(root);
  for (const { name, cable } of queue) {
    const own = switches.get(name);
    if (!own) continue;
    const branch: Branch = {
      own,
      cable,
      inner: [],
      leaves: [],
      also: [],
      behind: 0,
      findings: 0,
      unhealthy: 0,
    };
    made.push(branch);
    const up = above.get(name);
    if (up !== undefined) below.get(up)?.push(branch);
    below.set(name, []);
    for (const link of [...(cables.get(name) ?? [])].sort((a, b) => farther(a, name, b))) {
      const next = other(link, name);
      if (!seen.has(next)) {
        seen.add(next);
        above.set(next, name);
        queue.push({ name: next, cable: link });
      } else if (link !== cable && above.get(next) !== name) {
        branch.also.push(next);
      }
    }
  }
  // From the leaves inwards, so that children are counted before their parents.
  for (const branch of made.reverse()) {
    const on = below.get(branch.own.name) ?? [];
    branch.inner = on.filter((one) => one.behind > 0);
    branch.leaves = on.filter((one) => one.behind === 0);
    for (const one of on) {
      branch.behind += one.behind + 1;
      branch.findings += one.findings + one.own.findings;
      branch.unhealthy += one.unhealthy + (one.own.healthy ? 0 : 1);
    }
  }
  return made[made.length - 1] as Branch;
}

/** The switch from which no direction holds more than half of the network. */
function middleOf(root: Branch): string {
  const half = (root.behind + 1) / 2;
  let here = root;
  for (;;) {
    const heavy = here.inner.find((one) => one.behind + 1 > half);
    if (!heavy) return here.own.name;
    here = heavy;
  }
}

const other = (link: MapLink, name: string) => (link.a === name ? link.b : link.a);
const farther = (a: MapLink, name: string, b: MapLink) => other(a, name).localeCompare(other(b, name));

/** Names of the branches that stand open at first: from the middle outwards, as many as fit. */
export function openAtFirst(roots: Branch[], rows = ROWS): Set<string> {
  const open = new Set<string>();
  let shown = roots.length;
  const queue = [...roots];
  for (const branch of queue) {
    shown += branch.inner.length + Math.ceil(branch.leaves.length / 8);
    if (shown > rows && open.size > 0) break;
    open.add(branch.own.name);
    queue.push(...branch.inner);
  }
  return open;
}

/** Rows that must be open for these to show. */
export function openFor(names: Iterable<string>, above: Map<string, string>): Set<string> {
  const open = new Set<string>();
  for (const name of names) {
    let up = above.get(name);
    while (up !== undefined && !open.has(up)) {
      open.add(up);
      up = above.get(up);
    }
  }
  return open;
}
