import { describe, expect, it } from "vitest";
import { shownOfMore } from "./QueryView";

describe("a list", () => {
  it("is said to be cut when there is a next page, and only then", () => {
    expect(shownOfMore({ items: [1, 2], next: "abc" })).toBe(2);
    expect(shownOfMore({ items: [1, 2], next: null })).toBeNull();
    expect(shownOfMore({ items: [], next: undefined })).toBeNull();
    expect(shownOfMore([1, 2])).toBeNull();
    expect(shownOfMore(undefined)).toBeNull();
  });
});
