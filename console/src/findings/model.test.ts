import { expect, it } from "vitest";
import type { Finding } from "../api/client";
import { occurrences } from "./model";

it("counts evidence over time, the latest too", () => {
  const at = (minute: number) => ({ at: `2026-03-01T10:${String(minute).padStart(2, "0")}:00Z`, text: "" });
  const finding = { first_at: "2026-03-01T10:00:00Z", evidence: [at(0), at(1), at(19), at(20)] } as Finding;
  const bins = occurrences(finding, Date.parse("2026-03-01T10:20:00Z"), 4);
  expect(bins.map((bin) => bin.count)).toEqual([2, 0, 0, 2]);
});
