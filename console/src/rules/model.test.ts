import { describe, expect, it } from "vitest";
import {
  type CalledPort,
  calendar,
  changeText,
  inNeed,
  levelText,
  marked,
  parseVlans,
  portState,
  rangesText,
  unmarked,
} from "./model";

const port = (name: string, more: Partial<CalledPort> = {}) =>
  ({
    switch: "quay-1",
    port: name,
    exempt: false,
    strangers: 0,
    barred: 0,
    present: 1,
    ...more,
  }) as CalledPort;

describe("edits", () => {
  it("are gathered by level and undone one by one", () => {
    const one = marked(new Map(), [{ group: "access" }, {}], { seats: 2 });
    const both = marked(one, [{ group: "access" }], { watched: null });
    expect(changeText(both.get("group access") ?? {})).toBe("seats: 2, watched: inherited");
    expect([...unmarked(both, "everything").keys()]).toEqual(["group access"]);
  });

  it("name their level as the service does", () => {
    expect(levelText({ switch: "quay-1", ports: "p1-p9" })).toBe("quay-1 ports p1-p9");
    expect(levelText({ switch: "quay-1", port: "p1" })).toBe("quay-1 port p1");
    expect(levelText({ switch: "quay-1" })).toBe("switch quay-1");
  });
});

describe("VLANs", () => {
  it("are read and written as ranges", () => {
    expect(parseVlans("30, 10-12")).toEqual([10, 11, 12, 30]);
    expect(rangesText([10, 11, 12, 30])).toBe("10-12, 30");
    for (const wrong of ["", "x", "9-1", "0", "4095", "1,,2"]) expect(parseVlans(wrong)).toBeNull();
  });
});

describe("the roll call", () => {
  it("shows ports first that need somebody, the others as they come", () => {
    const ports = [port("p1"), port("p2", { broken: true, overfull: true }), port("p3", { strangers: 1 })];
    expect(inNeed([...ports, port("p4")]).map((one) => one.port)).toEqual(["p2", "p3", "p1", "p4"]);
    const unread = port("p5", { not_read: true });
    expect(inNeed([port("p4"), unread]).map(portState)).toEqual(["not read", "in order"]);
  });
});

describe("the calendar", () => {
  it("has every day of the time, also those on which nothing began", () => {
    const days = calendar("2026-05-30T11:00:00Z", "2026-06-02T01:00:00Z", [
      { day: "2026-06-01", breaches: 3 },
    ]);
    expect(days.map((one) => one.breaches)).toEqual([0, 0, 3, 0]);
    expect(days[0]?.day).toBe("2026-05-30");
  });
});
