import { expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { summed } from "./model";

const reading = (name: string, minute: number, duration_ms: number, outcome = "complete") =>
  ({
    switch: name,
    taken_at: `2026-03-01T10:0${minute}:00Z`,
    duration_ms,
    outcome,
    rows: minute,
  }) as Schemas["ReadingSummary"];

it("sums readings up by switch, the slowest first", () => {
  const sums = summed([
    reading("a", 1, 30),
    reading("a", 3, 10),
    reading("a", 2, 20, "failed"),
    reading("b", 1, 400),
  ]);
  expect(sums.map((one) => one.switch)).toEqual(["b", "a"]);
  expect(sums[1]).toMatchObject({ count: 3, failed: 1, median_ms: 20, most_ms: 30, rows: 3 });
});
