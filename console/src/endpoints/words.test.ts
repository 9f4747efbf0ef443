import { describe, expect, it } from "vitest";
import { exportFilter, readWords } from "./words";

const NOW = Date.parse("2026-03-01T12:00:00Z");

describe("filters as words", () => {
  it("are read, with the rest kept", () => {
    const read = readWords('vlan:20 switch:quay-* maker:"north sea" life:quiet,gone 9e:4a since:2d', NOW);
    expect(read.filter).toEqual({
      vlan: 20,
      switch: "quay-*",
      maker: "north sea",
      life: ["quiet", "gone"],
      since: "2026-02-27T12:00:00.000Z",
    });
    expect(read.rest).toBe("9e:4a");
    expect(read.problems).toEqual([]);
    expect(exportFilter(read.filter)).toMatchObject({ vlan: "20", life: ["quiet", "gone"] });
  });
  it("say what is wrong", () => {
    const { problems } = readWords("vlan:5000 life:asleep since:soon site: port:p1", NOW);
    expect(problems).toEqual([
      "vlan:5000 is not between 1 and 4094",
      "life:asleep is none of present, quiet, gone",
      "since:soon is neither a span like 2d nor a date",
      "site: has no value",
      "port: needs switch: too",
    ]);
  });
});
