// Times in words. The full instant, with its zone, shows on hover or focus.
const UNITS: [string, number][] = [
  ["d", 86_400],
  ["h", 3_600],
  ["min", 60],
];

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
    hour12: false,
  });
}

export function clockTime(iso: string): string {
  return new Date(iso).toLocaleTimeString(undefined, {
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    hour12: false,
  });
}

/** An instant as `datetime-local` fields take it: local, to the minute. */
export function localInput(iso: string): string {
  const date = new Date(iso);
  const two = (value: number) => String(value).padStart(2, "0");
  const day = `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}`;
  return `${day}T${two(date.getHours())}:${two(date.getMinutes())}`;
}
