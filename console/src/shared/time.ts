// Times in words, in the zone the person chose. The full instant, also in UTC, shows on hover or focus.
import { preference } from "../app/preferences";

const UNITS: [string, number][] = [
  ["d", 86_400],
  ["h", 3_600],
  ["min", 60],
];

const zone = () => (preference("zone") === "utc" ? "UTC" : undefined);

/** Formats in the zone of the person. To make one takes a thousand times as long as to use it. */
const FORMATS = {
  full: { dateStyle: "medium", timeStyle: "long", hourCycle: "h23" },
  clock: { hour: "2-digit", minute: "2-digit", second: "2-digit", hourCycle: "h23" },
  short: { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", hourCycle: "h23" },
  day: { day: "numeric", month: "short" },
} satisfies Record<string, Intl.DateTimeFormatOptions>;
const made = new Map<string, Intl.DateTimeFormat>();

function written(iso: string, as: keyof typeof FORMATS): string {
  const timeZone = zone();
  const key = `${as} ${timeZone}`;
  let format = made.get(key);
  if (!format) {
    format = new Intl.DateTimeFormat(undefined, { ...FORMATS[as], ...(timeZone ? { timeZone } : {}) });
    made.set(key, format);
  }
  return format.format(new Date(iso));
}

/** A span in one unit: 40 s, 12 min, 5 h, 3 d. */
export function span(ms: number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  for (const [unit, size] of UNITS) {
    if (seconds >= 2 * size || (size === 86_400 && seconds >= size))
      return `${Math.floor(seconds / size)} ${unit}`;
  }
  return `${seconds} s`;
}

export const fullTime = (iso: string) => written(iso, "full");

/** In the zone of the person, and in UTC where that is another. */
export function everyZone(iso: string): string {
  const utc = `${new Date(iso).toISOString().slice(0, 19).replace("T", " ")} UTC`;
  return zone() === "UTC" || new Date(iso).getTimezoneOffset() === 0
    ? fullTime(iso)
    : `${fullTime(iso)} = ${utc}`;
}

export const clockTime = (iso: string) => written(iso, "clock");

/** Day and time to the minute, for axes and buttons. */
export const shortTime = (iso: string) => written(iso, "short");

export const dayText = (iso: string) => written(iso, "day");

export const isMidnight = (iso: string) => clockTime(iso) === "00:00:00";

/** An instant as `datetime-local` fields take it, to the minute. */
export function timeInput(iso: string): string {
  const date = new Date(iso);
  if (zone() === "UTC") return date.toISOString().slice(0, 16);
  const two = (value: number) => String(value).padStart(2, "0");
  const day = `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}`;
  return `${day}T${two(date.getHours())}:${two(date.getMinutes())}`;
}

/** What such a field holds, as an instant; "" for an empty one. */
export function instantOfInput(text: string): string {
  return text ? new Date(zone() === "UTC" ? `${text}Z` : text).toISOString() : "";
}
