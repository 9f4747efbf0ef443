// Light or dark: what the person chose, else what their system prefers.
import { useSyncExternalStore } from "react";

export type Mode = "light" | "dark";
const KEY = "kiteroll-mode";
const listeners = new Set<() => void>();

function chosen(): Mode | null {
  const kept = localStorage.getItem(KEY);
  return kept === "light" || kept === "dark" ? kept : null;
}

export function currentMode(): Mode {
  return chosen() ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
}

export function applyMode(): void {
  const mode = currentMode();
  document.documentElement.classList.toggle("dark", mode === "dark");
  document.documentElement.classList.toggle("light", mode === "light");
  document.documentElement.style.colorScheme = mode;
}

export function toggleMode(): void {
  localStorage.setItem(KEY, currentMode() === "dark" ? "light" : "dark");
  applyMode();
  for (const tell of listeners) tell();
}

export function useMode(): Mode {
  return useSyncExternalStore((tell) => {
    listeners.add(tell);
    return () => listeners.delete(tell);
  }, currentMode);
}
