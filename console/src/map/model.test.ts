import { expect, it } from "vitest";
import type { Hop, NetworkMap } from "../api/client";
import { layOut, pair, wayPairs } from "./model";

const named = (names: string[], links: [string, string][]): NetworkMap => ({
  switches: names.map((name) => ({ name, site: "", health: "read", present: 0, findings: 0 })),
  links: links.map(([a, b]) => ({ a, a_port: "p1", b, b_port: "p2", why: "" })),
});

it("puts the middle on top and what hangs on it below, in its order", () => {
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

it("marks the cables on the way", () => {
  const hops = [
    { switch: "b", leads_to: "a" },
    { switch: "a", leads_to: "" },
  ] as Hop[];
  expect(wayPairs(hops)).toEqual(new Set([pair("a", "b")]));
});
