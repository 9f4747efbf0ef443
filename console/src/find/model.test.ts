import { describe, expect, it } from "vitest";
import { answersOf, fragmentDigits, markFragment, step } from "./model";

describe("a fragment", () => {
  it.each([
    ["9E:4a", "9e4a"],
    ["0a01.9e37", "0a019e37"],
    ["0x02", "02"],
    ["2:1a:1", "21a1"],
    ["a:1:b2", "a01b2"],
    ["quay", null],
    ["", null],
  ])("%s is read as the service reads it", (text, digits) => {
    expect(fragmentDigits(text)).toBe(digits);
  });

  it("is marked where it matches, separators within it included, nearest the end", () => {
    expect(markFragment("02:1a:09:01:9e:4a", "19e4")).toEqual([
      { text: "02:1a:09:0", hit: false },
      { text: "1:9e:4", hit: true },
      { text: "a", hit: false },
    ]);
    expect(markFragment("02:02:02:02:02:02", "02").at(-1)).toEqual({ text: "02", hit: true });
    expect(markFragment("02:1a:09:01:9e:4a", "quay")).toEqual([{ text: "02:1a:09:01:9e:4a", hit: false }]);
  });
});

it("arrow keys stay within the rows", () => {
  expect(step(-1, "ArrowDown", 2)).toBe(0);
  expect(step(1, "ArrowDown", 2)).toBe(1);
  expect(step(0, "ArrowUp", 2)).toBe(-1);
  expect(step(0, "ArrowDown", 0)).toBe(-1);
});

describe("a text in the quick search", () => {
  it("means pages and VLANs before the service has answered", () => {
    expect(answersOf("log", undefined).map((one) => one.path)).toEqual(["/rules/log", "/service/audit"]);
    expect(answersOf("vlan 20", undefined)).toEqual([
      { group: "VLANs", name: "VLAN 20", about: "", path: "/vlans/20" },
    ]);
    expect(answersOf("4095", undefined)).toEqual([]);
    expect(answersOf("", undefined)).toEqual([]);
  });
});
