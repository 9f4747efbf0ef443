import { expect, it } from "vitest";
import type { Hop, NetworkMap } from "../api/client";
import { layOut, meant, pair, pathPairs } from "./model";
import { openAtFirst, openFor, outline } from "./outline";
import { layOutSites } from "./sites";

const named = (names: string[], links: [string, string][]): NetworkMap => ({
  switches: names.map((name) => ({ name, site: "", health: "read", healthy: true, present: 0, findings: 0 })),
  links: links.map(([a, b]) => ({
    a,
    a_port: "p1",
    b,
    b_port: "p2",
    why: "",
    state: "carrying",
    bundled: 1,
  })),
});

it("puts the middle on top and what is connected to it below, in its order", () => {
  const map = named(
    ["z", "core", "a", "b", "alone"],
    [
      ["core", "a"],
      ["core", "b"],
      ["core", "z"],
      ["z", "far"],
    ],
  );
  const { places } = layOut(map);
  expect(places.get("core")?.tier).toBe(0);
  expect(places.get("a")?.tier).toBe(1);
  expect((places.get("a")?.x ?? 0) < (places.get("z")?.x ?? 0)).toBe(true);
  expect(places.get("alone")).toBeDefined();
});

it("gives the same picture whatever the order, and room to each of five hundred", () => {
  const names = Array.from({ length: 500 }, (_, at) => `sw-${at}`);
  const links = names.slice(1).map((name, at) => [name, `sw-${Math.floor(at / 8)}`] as [string, string]);
  const one = layOut(named(names, links));
  const other = layOut(named(names, [...links].reverse()));
  expect([...other.places.values()]).toEqual([...one.places.values()]);
  const spots = new Set([...one.places.values()].map((place) => `${place.x} ${place.y}`));
  expect(spots.size).toBe(500);
});

it("outlines a large network from the middle, leaves apart, the same whatever the order", () => {
  const names = ["core", "a", "b", "a1", "a2", "b1", "b2", "far", "alone"];
  const links: [string, string][] = [
    ["core", "a"],
    ["b", "core"],
    ["a", "a1"],
    ["a", "a2"],
    ["a", "b"],
    ["b", "b1"],
    ["b2", "b"],
    ["b2", "far"],
  ];
  const map = named(names, links);
  for (const one of map.switches)
    if (one.name === "far") Object.assign(one, { findings: 2, health: "silent", healthy: false });
  const made = outline(map);
  expect(made.alone.map((one) => one.name)).toEqual(["alone"]);
  const [root] = made.roots;
  // a and b have most cables; the name decides.
  expect([root?.own.name, root?.behind, root?.findings, root?.unhealthy]).toEqual(["a", 7, 2, 1]);
  expect(root?.leaves.map((one) => one.own.name)).toEqual(["a1", "a2", "core"]);
  expect(root?.inner.map((one) => [one.own.name, one.behind, one.also])).toEqual([["b", 3, ["core"]]]);
  expect(outline(named(names, [...links].reverse())).above).toEqual(made.above);
  expect(openFor(["far"], made.above)).toEqual(new Set(["b2", "b", "a"]));
});

it("opens as much of an outline as fits, from the middle outwards", () => {
  const names = Array.from({ length: 500 }, (_, at) => `sw-${at}`);
  const links = names.slice(1).map((name, at) => [name, `sw-${Math.floor(at / 8)}`] as [string, string]);
  const { roots } = outline(named(names, links));
  const open = openAtFirst(roots, 30);
  expect(open.has(roots[0]?.own.name ?? "")).toBe(true);
  expect(open.size).toBeLessThan(30);
});

it("marks the cables on the path", () => {
  const hops = [
    { switch: "b", leads_to: "a" },
    { switch: "a", leads_to: "" },
  ] as Hop[];
  expect(pathPairs(hops)).toEqual(new Set([pair("a", "b")]));
});

it("stands switches in the areas of their sites, none over another", () => {
  const switches = ["core", "a1", "a2", "a10", "b1"].map((name) => ({ name, site: name[0] ?? "" }));
  const map = { switches, links: [] } as unknown as NetworkMap;
  const layout = layOutSites(
    map,
    new Map([
      ["core", 0],
      ["a1", 1],
      ["a2", 1],
      ["a10", 1],
      ["b1", 2],
    ]),
  );
  expect(layout.areas.map((one) => one.site)).toEqual(["c", "a", "b"]);
  for (const { name, site } of switches) {
    const area = layout.areas.find((one) => one.site === site);
    const place = layout.places.get(name);
    if (!area || !place) throw new Error(name);
    expect(place.x).toBeGreaterThan(area.x);
    expect(place.x).toBeLessThan(area.x + area.width);
    expect(place.y).toBeLessThan(area.y + area.height);
  }
  expect(new Set([...layout.places.values()].map((one) => `${one.x} ${one.y}`)).size).toBe(5);
});

it("knows what is meant to be shown", () => {
  const map = { switches: [{ name: "Quay-1" }], links: [] } as unknown as NetworkMap;
  expect(meant("vlan 20", map)).toEqual({ vlan: "20" });
  expect(meant("finding:7", map)).toEqual({ finding: "7" });
  expect(meant("quay-1", map)).toEqual({ switch: "Quay-1" });
  expect(meant("9e4a", map)).toEqual({ mac: "9e4a" });
});
