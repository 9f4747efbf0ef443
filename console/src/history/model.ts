// Readings summed up by switch. Without rendering.
import type { Schemas } from "../api/client";

type Reading = Schemas["ReadingSummary"];

export type SwitchReadings = {
  switch: string;
  count: number;
  /** Readings that were not complete. */
  failed: number;
  median_ms: number;
  most_ms: number;
  /** Addresses of the latest. */
  rows: number;
  last_at: string;
};

/** The slowest first. */
export function summed(readings: Reading[]): SwitchReadings[] {
  const of = new Map<string, Reading[]>();
  for (const one of readings) of.set(one.switch, [...(of.get(one.switch) ?? []), one]);
  return [...of]
    .map(([name, several]): SwitchReadings => {
      const durations = several.map((one) => one.duration_ms).sort((a, b) => a - b);
      const latest = several.reduce((a, b) => (a.taken_at > b.taken_at ? a : b));
      return {
        switch: name,
        count: several.length,
        failed: several.filter((one) => one.outcome !== "complete").length,
        median_ms: durations[Math.floor((durations.length - 1) / 2)] ?? 0,
        most_ms: durations.at(-1) ?? 0,
        rows: latest.rows,
        last_at: latest.taken_at,
      };
    })
    .sort((a, b) => b.median_ms - a.median_ms);
}
