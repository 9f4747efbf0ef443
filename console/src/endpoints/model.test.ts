import { expect, it } from "vitest";
import type { Stay } from "../api/client";
import { ticks, tickText, timeLine } from "./model";

const NOON = Date.parse("2026-05-04T12:00:00Z");
const at = (minutes: number) => new Date(NOON + minutes * 60_000).toISOString();
const stay = (port: string, from: number, to: number | null, uplink = false) =>
  ({
    switch: "quay-1",
    port,
    vlan: 10,
    life: to === null ? "present" : "gone",
    began_at: at(from),
    ended_at: to === null ? null : at(to),
    ending: to === null ? null : "port went down",
    leads_to: uplink ? ["core-1"] : [],
    leads_to_count: uplink ? 1 : 0,
    role: uplink ? "uplink" : "access",
  }) as unknown as Stay;

it("draws a lane a place, access ports first and the latest on top", () => {
  const stays = [
    stay("p24", -50, null, true),
    stay("p1", -60, -30),
    stay("p2", -30, null),
    stay("p1", -90, -80),
  ];
  const quiet = [
    { switch: "quay-1", port: "p1", vlan: 10, began_at: at(-50), ended_at: at(-45) },
    { switch: "quay-1", port: "p2", vlan: 10, began_at: at(-5), ended_at: null },
  ];
  const pauses = [{ switch: "quay-1", port: "p2", vlan: 10, began_at: at(-25), ended_at: at(-10) }];
  const line = timeLine(stays, quiet, pauses, NOON, 86_400_000);
  expect(line.lanes.map((lane) => [lane.port, lane.bars.length])).toEqual([
    ["p2", 1],
    ["p1", 2],
    ["p24", 1],
  ]);
  expect(line.from).toBe(NOON - 90 * 60_000);
  expect(line.lanes[1]?.bars[0]?.title).toContain("port went down");
  expect(line.lanes.map((lane) => lane.quiet.map((one) => [one.from - NOON, one.to - NOON]))).toEqual([
    [[-5 * 60_000, 0]],
    [[-50 * 60_000, -45 * 60_000]],
    [],
  ]);
  expect(line.lanes.map((lane) => lane.unread.map((one) => [one.from - NOON, one.to - NOON]))).toEqual([
    [[-25 * 60_000, -10 * 60_000]],
    [],
    [],
  ]);
});

it("cuts what is older than the longest span", () => {
  const line = timeLine([stay("p1", -600, -500), stay("p2", -500, null)], [], [], NOON, 60 * 60_000);
  expect(line.lanes.map((lane) => lane.port)).toEqual(["p2"]);
  expect(line.lanes[0]?.bars[0]?.from).toBe(NOON - 60 * 60_000);
});

it("labels round instants", () => {
  const found = ticks(NOON - 50 * 60_000, NOON, 6);
  expect(found.length).toBeGreaterThan(2);
  expect(found.every((one) => one % 900_000 === 0)).toBe(true);
});

it("shows the day where it begins and the hour in between", () => {
  const midnight = new Date(2026, 10, 22).getTime();
  const noon = midnight + 12 * 3_600_000;
  const said = [midnight, noon].map((at) => tickText(at, midnight - 2 * 86_400_000, noon));
  expect(said[0]).toMatch(/22/);
  expect(said[1]).toBe("12:00");
  expect(tickText(noon, midnight - 20 * 86_400_000, noon)).toMatch(/22/);
});
