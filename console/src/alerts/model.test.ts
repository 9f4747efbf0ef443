import { expect, test } from "vitest";
import { hoursText, names, spanText, takesText, targetState } from "./model";

test("hours are said in ranges of days", () => {
  const all = { days: [0, 1, 2, 3, 4, 5, 6], since: "00:00", until: "00:00", zone: "UTC" };
  expect(hoursText(all)).toBe("always");
  expect(hoursText({ ...all, days: [0, 1, 2, 3, 4], since: "08:00", until: "17:00" })).toBe(
    "Mon to Fri 08:00 to 17:00 UTC",
  );
  expect(hoursText({ ...all, days: [0, 2, 5, 6] })).toBe("Mon, Wed, Sat to Sun UTC");
});

test("a route and a target are said in words", () => {
  const takes = { severity: "warning" as const, kinds: ["loop"], sites: ["Quays"], groups: [] };
  expect(takesText(takes)).toBe("loop, warning and worse at Quays");
  expect(takesText({ ...takes, kinds: [], sites: [], severity: "serious" })).toBe("serious ones");
  expect(targetState({ enabled: true, failures: 1, last_sent_at: null })).toBe("▲ failing, 1 try");
  expect(spanText(5400)).toBe("90 min");
  expect(names(" a, ,b ")).toEqual(["a", "b"]);
});
