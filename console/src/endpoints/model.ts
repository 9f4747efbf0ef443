// Logic of the endpoint page, without rendering.
import type { QuietTime, ReadingPause, Stay } from "../api/client";
import { clockTime, dayText, fullTime, isMidnight } from "../shared/time";

export type Bar = { from: number; to: number; open: boolean; life: string; title: string };
export type Part = { from: number; to: number; title: string };
export type Lane = {
  switch: string;
  port: string;
  uplink: boolean;
  bars: Bar[];
  quiet: Part[];
  unread: Part[];
};
export type TimeLine = { from: number; to: number; lanes: Lane[] };

/** Stays as bars, a lane a place: access ports first, then the latest seen. Times in ms. */
export function timeLine(
  stays: Stay[],
  quiet: QuietTime[],
  pauses: ReadingPause[],
  now: number,
  longest: number,
): TimeLine {
  const to = now;
  const began = stays.map((stay) => Date.parse(stay.began_at));
  const from = Math.max(to - longest, Math.min(to - 60_000, ...began));
  const lanes = new Map<string, Lane>();
  for (const stay of stays) {
    const end = stay.ended_at ? Date.parse(stay.ended_at) : to;
    if (end < from) continue;
    const key = `${stay.switch} ${stay.port}`;
    const lane = lanes.get(key) ?? {
      switch: stay.switch,
      port: stay.port,
      uplink: true,
      bars: [],
      quiet: [],
      unread: [],
    };
    // A port that was an uplink at times is one where it was at home as well.
    lane.uplink &&= stay.role === "uplink";
    lane.bars.push({
      from: Math.max(from, Date.parse(stay.began_at)),
      to: end,
      open: stay.ended_at === null,
      life: stay.life,
      title: barTitle(stay),
    });
    lanes.set(key, lane);
  }
  const place = (one: QuietTime | ReadingPause, of: "quiet" | "unread", what: string) => {
    const end = one.ended_at ? Date.parse(one.ended_at) : to;
    if (end < from) return;
    lanes.get(`${one.switch} ${one.port}`)?.[of].push({
      from: Math.max(from, Date.parse(one.began_at)),
      to: end,
      title: `${what} since ${fullTime(one.began_at)}${one.ended_at ? `, until ${fullTime(one.ended_at)}` : ""}`,
    });
  };
  for (const one of quiet) place(one, "quiet", "not seen");
  for (const one of pauses)
    place(one, "unread", `${one.switch} was read too seldom to know that it was there:`);
  const latest = (lane: Lane) => Math.max(...lane.bars.map((bar) => bar.to));
  const first = (lane: Lane) => Math.max(...lane.bars.map((bar) => bar.from));
  const ordered = [...lanes.values()].sort(
    (a, b) => Number(a.uplink) - Number(b.uplink) || latest(b) - latest(a) || first(b) - first(a),
  );
  return { from, to, lanes: ordered };
}

function barTitle(stay: Stay): string {
  const until = stay.ended_at ? `ended ${fullTime(stay.ended_at)}: ${stay.ending ?? ""}` : stay.life;
  return `${stay.switch} ${stay.port}${stay.vlan ? ` VLAN ${stay.vlan}` : ""}, since ${fullTime(stay.began_at)}, ${until}`;
}

export type Window = { from: number; to: number };
const LEAST_WINDOW_MS = 60_000;

/** A window of the whole line, never shorter than a minute and never beyond the line. */
export function within(whole: Window, from: number, to: number): Window {
  const size = Math.min(whole.to - whole.from, Math.max(LEAST_WINDOW_MS, to - from));
  const begin = Math.min(Math.max(whole.from, from), whole.to - size);
  return { from: begin, to: begin + size };
}

/** The window made larger or smaller around an instant that stays where it is. */
export function zoomed(whole: Window, now: Window, around: number, by: number): Window {
  return within(whole, around - (around - now.from) * by, around + (now.to - around) * by);
}

const STEPS = [60, 300, 900, 3600, 4 * 3600, 12 * 3600, 86_400, 7 * 86_400, 30 * 86_400].map(
  (seconds) => seconds * 1000,
);

/** Round instants to label, about `wanted` of them. */
export function ticks(from: number, to: number, wanted: number): number[] {
  const step = STEPS.find((one) => (to - from) / one <= wanted) ?? 90 * 86_400_000;
  const found: number[] = [];
  for (let at = Math.ceil(from / step) * step; at <= to; at += step) found.push(at);
  return found;
}

/** A span over which ticks are whole days. */
const LONG_MS = 7 * 12 * 3_600_000;

export function tickText(at: number, from: number, to: number): string {
  const iso = new Date(at).toISOString();
  // Over several days, a tick at midnight shows the date, others the hour.
  if (to - from > LONG_MS || (to - from > 2 * 86_400_000 && isMidnight(iso))) return dayText(iso);
  return clockTime(iso).slice(0, 5);
}
