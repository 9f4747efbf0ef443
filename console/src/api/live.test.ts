import { afterEach, expect, it, vi } from "vitest";
import { gatherer } from "./live";

afterEach(() => vi.useRealTimers());

it("hands keys over together, and one that must rest later", () => {
  vi.useFakeTimers({ now: 1_000_000 });
  const handed: string[][] = [];
  const gather = gatherer((keys) => handed.push([...keys].sort()), { switches: 5_000 });
  gather.add(["switches", "findings"]);
  gather.add(["findings"]);
  vi.advanceTimersByTime(800);
  expect(handed).toEqual([["findings", "switches"]]);
  gather.add(["switches", "findings"]);
  vi.advanceTimersByTime(800);
  expect(handed).toEqual([["findings", "switches"], ["findings"]]);
  vi.advanceTimersByTime(5_000);
  expect(handed.at(-1)).toEqual(["switches"]);
  gather.stop();
});
