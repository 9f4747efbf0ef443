import { describe, expect, it } from "vitest";
import { reopensText, secondsOf, stateText } from "./model";

const NOW = Date.parse("2026-05-04T12:00:00Z");

describe("acting on ports", () => {
  it("says when a closed port opens again", () => {
    const closed = { held: false, came_back: 0, reopen_at: null };
    expect(reopensText(closed, NOW)).toBe("by a person");
    expect(reopensText({ ...closed, reopen_at: "2026-05-04T12:01:30Z" }, NOW)).toBe("in 90 s");
    expect(reopensText({ ...closed, reopen_at: "2026-05-04T12:30:00Z" }, NOW)).toBe("in 30 min");
    expect(reopensText({ ...closed, reopen_at: "2026-05-04T11:59:00Z" }, NOW)).toBe("now");
    expect(reopensText({ held: true, came_back: 2, reopen_at: null }, NOW)).toContain("came back 2 times");
  });

  it("says how an action ended, and what a choice means", () => {
    expect(stateText({ kind: "close-port", state: "done" })).toBe("✓ closed");
    expect(stateText({ kind: "close-port", state: "unknown" })).toContain("asked again");
    expect([secondsOf("by a person"), secondsOf("after 1 h")]).toEqual([0, 3600]);
  });
});
