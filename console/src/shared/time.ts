// Times in words, in the zone the person chose. The full instant, also in UTC, shows on hover or focus.
import { preference } from "../app/preferences";

const UNITS: [string, number][] = [
  ["d", 86_400],
  ["h", 3_600],
  ["min", 60],
];

const zone = () => (preference("zone") === "utc" ? "UTC" : undefined);

/** A span in one unit: 40 s, 12 min, 5 h, 3 d. */
export function span(ms: number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  for (const [unit, size] of UNITS) {
    if (seconds >= 2 * size || (size === 86_400 && seconds >= size))
      return `${Math.floor(seconds / size)} ${unit}`;
  }
  return `${seconds} s`;
}

export function fullTime(iso: string): string {
  return new Date(iso).toLocaleString(undefined, {
    dateStyle: "medium",
    timeStyle: "long",
    hourCycle: "h23",
    timeZone: zone(),
  });
}

/** In the zone of the person, and in UTC where that is another. */
export function everyZone(iso: string): string {
  const utc = `${new Date(iso).toISOString().slice(0, 19).replace("T", " ")} UTC`;
  return zone() === "UTC" || new Date(iso).getTimezoneOffset() === 0
    ? fullTime(iso)
    : `${fullTime(iso)} = ${utc}`;
}

export function clockTime(iso: string): string {
  return new Date(iso).toLocaleTimeString(undefined, {
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    hourCycle: "h23",
    timeZone: zone(),
  });
}

/** Day and time to the minute, for axes and buttons. */
export function shortTime(iso: string): string {
  return new Date(iso).toLocaleString(undefined, {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
    hourCycle: "h23",
    timeZone: zone(),
  });
}

export function dayText(iso: string): string {
  return new Date(iso).toLocaleDateString(undefined, { day: "numeric", month: "short", timeZone: zone() });
}

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
