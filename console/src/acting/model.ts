// Words and numbers of acting on ports.
import type { Schemas } from "../api/client";

export const REOPENS = ["by a person", "after 15 min", "after 1 h", "after 12 h"] as const;
const SECONDS: Record<string, number> = { "after 15 min": 900, "after 1 h": 3600, "after 12 h": 43_200 };

export function secondsOf(choice: string): number {
  return SECONDS[choice] ?? 0;
}

const DONE: Record<Schemas["Action"]["kind"], string> = {
  "close-port": "✓ closed",
  "reopen-port": "✓ reopened",
  "set-alias": "✓ alias set",
  "set-ageing-time": "✓ ageing time set",
};
const OTHER: Record<Exclude<Schemas["Action"]["state"], "done">, string> = {
  sending: "◌ being sent",
  refused: "✕ refused by the switch",
  "not done": "✕ not done",
  unknown: "? not known, asked again",
};

export function stateText(action: Pick<Schemas["Action"], "kind" | "state">): string {
  return action.state === "done" ? DONE[action.kind] : OTHER[action.state];
}

/** When a closed port opens again. `now` in milliseconds. */
export function reopensText(
  port: Pick<Schemas["ClosedPort"], "held" | "came_back" | "reopen_at">,
  now: number,
): string {
  if (port.held) {
    const times = port.came_back === 1 ? "once" : `${port.came_back} times`;
    return `held closed: the breach came back ${times}`;
  }
  if (!port.reopen_at) return "by a person";
  const seconds = Math.round((Date.parse(port.reopen_at) - now) / 1000);
  if (seconds <= 0) return "now";
  return seconds < 120 ? `in ${seconds} s` : `in ${Math.round(seconds / 60)} min`;
}
