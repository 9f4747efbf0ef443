// What a person chose about how the console shows things, kept in this browser.
import { useSyncExternalStore } from "react";

const CHOICES = {
  colours: ["system", "light", "dark"],
  contrast: ["system", "high"],
  zone: ["local", "utc"],
  density: ["comfortable", "compact"],
} as const;

export type Preference = keyof typeof CHOICES;
export type Choice<P extends Preference> = (typeof CHOICES)[P][number];

const key = (name: Preference) => `kiteroll.${name}`;
const listeners = new Set<() => void>();

/** What was read once: every time on a page asks for the zone. */
const read = new Map<Preference, string>();

export function preference<P extends Preference>(name: P): Choice<P> {
  let chosen = read.get(name);
  if (chosen === undefined) {
    const kept = localStorage.getItem(key(name));
    const known: readonly string[] = CHOICES[name];
    chosen = kept !== null && known.includes(kept) ? kept : (known[0] ?? "");
    read.set(name, chosen);
  }
  return chosen as Choice<P>;
}

export function setPreference<P extends Preference>(name: P, value: Choice<P>): void {
  localStorage.setItem(key(name), value);
  read.set(name, value);
  applyColours();
  for (const listener of listeners) listener();
}

export function usePreference<P extends Preference>(name: P): Choice<P> {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => preference(name),
  );
}

/** Sets what the stylesheet goes by: `light` or `dark`, and `contrast`. */
export function applyColours(): void {
  const wanted = preference("colours");
  const dark = wanted === "system" ? matchMedia("(prefers-color-scheme: dark)").matches : wanted === "dark";
  const root = document.documentElement;
  root.classList.toggle("dark", dark);
  root.classList.toggle("light", !dark);
  root.style.colorScheme = dark ? "dark" : "light";
  const more = preference("contrast") === "high" || matchMedia("(prefers-contrast: more)").matches;
  root.classList.toggle("contrast", more);
}

/** Colours follow the system while it is what the person chose. */
export function followSystem(): void {
  applyColours();
  for (const query of ["(prefers-color-scheme: dark)", "(prefers-contrast: more)"]) {
    matchMedia(query).addEventListener?.("change", applyColours);
  }
}
