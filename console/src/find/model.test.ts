import { describe, expect, it } from "vitest";
import type { Finding } from "../api/client";
import { answersOf, fragmentDigits, freshness, markFragment, outOfDateBySite, step } from "./model";

describe("a fragment", () => {
  it.each([
    ["9E:4a", "9e4a"],
    ["0a01.9e37", "0a019e37"],
    ["0x02", "02"],
    ["2:1a:1", "21a1"],
    ["a:1:b2", "a01b2"],
    ["quay", null],
    ["", null],
  ])("%s is read as the service reads it", (text, digits) => {
    expect(fragmentDigits(text)).toBe(digits);
  });

  it("is marked where it matches, separators within it included, nearest the end", () => {
    expect(markFragment("02:1a:09:01:9e:4a", "19e4")).toEqual([
      { text: "02:1a:09:0", hit: false },
      { text: "1:9e:4", hit: true },
      { text: "a", hit: false },
    ]);
    expect(markFragment("02:02:02:02:02:02", "02").at(-1)).toEqual({ text: "02", hit: true });
    expect(markFragment("02:1a:09:01:9e:4a", "quay")).toEqual([{ text: "02:1a:09:01:9e:4a", hit: false }]);
  });
});

it("arrow keys stay within the rows", () => {
  expect(step(-1, "ArrowDown", 2)).toBe(0);
  expect(step(1, "ArrowDown", 2)).toBe(1);
  expect(step(0, "ArrowUp", 2)).toBe(-1);
  expect(step(0, "ArrowDown", 0)).toBe(-1);
});

describe("a text in the quick search", () => {
  it("means pages and VLANs before the service has answered", () => {
    expect(answersOf("log", undefined).map((one) => one.path)).toEqual(["/rules/log", "/service/audit"]);
    expect(answersOf("vlan 20", undefined)).toEqual([
      { group: "VLANs", name: "VLAN 20", about: "", path: "/vlans/20" },
    ]);
    expect(answersOf("4095", undefined)).toEqual([]);
    expect(answersOf("", undefined)).toEqual([]);
  });

  it("offers open findings, actions, and filters as a list", () => {
    const finding = { id: 7, title: "Loop at quay-1", kind: "loop", severity: "serious" } as Finding;
    expect(answersOf("loop", undefined, [finding]).map((one) => one.path)).toEqual(["/findings/7"]);
    expect(answersOf("add a sw", undefined).map((one) => one.group)).toEqual(["actions"]);
    expect(answersOf("life:quiet vlan:20", undefined)[0]).toMatchObject({
      name: "All with life:quiet vlan:20",
      path: "/endpoints?q=life%3Aquiet%20vlan%3A20",
    });
    expect(answersOf("life:asleep", undefined)).toEqual([]);
  });
});

it("says how fresh the readings of a switch are, by its own interval", () => {
  const now = Date.parse("2026-03-01T12:00:00Z");
  const one = (read_at: string | null, more = {}) =>
    freshness({ enabled: true, source: "snmp", read_at, interval_s: 60, ...more }, now);
  expect(one("2026-03-01T11:59:00Z")).toBe("fresh");
  expect(one("2026-03-01T11:57:00Z")).toBe("late");
  expect(one("2026-03-01T11:00:00Z")).toBe("old");
  expect(one(null)).toBe("old");
  expect(one("2026-03-01T11:00:00Z", { interval_s: 3600 })).toBe("fresh");
  expect(one(null, { enabled: false })).toBe("off");
});

it("counts switches that are out of date by site, the most first", () => {
  const at = (site: string, healthy: boolean) => ({ site, healthy });
  const switches = [
    at("Quays", true),
    at("Yard", false),
    at("Depot", false),
    at("Yard", false),
    at("Yard", true),
  ];
  expect(outOfDateBySite(switches)).toEqual([
    { site: "Yard", count: 2, of: 3 },
    { site: "Depot", count: 1, of: 1 },
  ]);
});
