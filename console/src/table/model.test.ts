import { describe, expect, it } from "vitest";
import {
  asTabs,
  type Column,
  columnsText,
  countText,
  moved,
  narrowed,
  nextSort,
  shownColumns,
  sorted,
  sortOf,
  sortText,
} from "./model";

type Row = { name: string; count: number | null };
const COLUMNS: Column<Row>[] = [
  { id: "name", header: "Name", cell: (row) => row.name, text: (row) => row.name },
  { id: "count", header: "Count", cell: (row) => row.count, text: (row) => row.count ?? "" },
  { id: "more", header: "More", cell: () => "", extra: true },
];
const ROWS: Row[] = [
  { name: "p10", count: 2 },
  { name: "p2", count: null },
  { name: "p1", count: 11 },
];

describe("columns", () => {
  it("are the usual ones until others are chosen", () => {
    expect(shownColumns(COLUMNS, null)).toEqual(["name", "count"]);
    expect(shownColumns(COLUMNS, "more,name,gone")).toEqual(["more", "name"]);
    expect(columnsText(COLUMNS, ["name", "count"])).toBe("");
    expect(columnsText(COLUMNS, ["count", "name"])).toBe("count,name");
  });
  it("move by one, within the row", () => {
    expect(moved(["a", "b", "c"], "b", 1)).toEqual(["a", "c", "b"]);
    expect(moved(["a", "b"], "a", -1)).toEqual(["a", "b"]);
  });
});

describe("sorting", () => {
  it("counts as people do, and puts what is empty last either way", () => {
    const by = (id: string, descending: boolean) =>
      sorted(
        ROWS,
        COLUMNS.find((one) => one.id === id),
        descending,
      ).map((row) => row.name);
    expect(by("name", false)).toEqual(["p1", "p2", "p10"]);
    expect(by("count", false)).toEqual(["p10", "p1", "p2"]);
    expect(by("count", true)).toEqual(["p1", "p10", "p2"]);
  });
  it("goes up, down, and back to how it came", () => {
    const up = nextSort(null, "name");
    const down = nextSort(up, "name");
    expect([sortText(up), sortText(down), nextSort(down, "name")]).toEqual(["name", "-name", null]);
    expect(sortOf("-seen_at")).toEqual({ id: "seen_at", descending: true });
    expect(sortOf("")).toBeNull();
  });
});

describe("what is said and copied", () => {
  it("narrows by every word", () => {
    expect(narrowed(ROWS, COLUMNS, "P1 11").map((row) => row.name)).toEqual(["p1"]);
    expect(narrowed(ROWS, COLUMNS, "  ")).toBe(ROWS);
    expect(narrowed(ROWS, COLUMNS, "1").map((row) => row.name)).toEqual(["p10", "p1"]);
    expect(narrowed(ROWS, COLUMNS, "count:1").map((row) => row.name)).toEqual(["p1"]);
    expect(narrowed(ROWS, COLUMNS, 'name:"p1"').map((row) => row.name)).toEqual(["p1"]);
    expect(narrowed(ROWS, COLUMNS, 'name:"p')).toHaveLength(3);
    expect(narrowed(ROWS, COLUMNS, 'name:""')).toEqual([]);
    const named = [{ name: "Pier 1 a" }, { name: "1 Pier" }];
    const name = [{ id: "name", header: "Name", cell: () => "", text: (row: { name: string }) => row.name }];
    expect(narrowed(named, name, '"pier 1"').map((row) => row.name)).toEqual(["Pier 1 a"]);
    expect(narrowed(named, name, "pier 1")).toHaveLength(2);
  });
  it("has no tab or line end within a cell", () => {
    expect(asTabs([{ name: "a\tb\nc", count: 1 }], COLUMNS.slice(0, 2))).toBe("Name\tCount\na b c\t1");
  });
  it("never calls a part the whole", () => {
    expect(countText(1, 1, false, undefined)).toBe("1 row");
    expect(countText(3, 12, false, undefined)).toBe("3 of 12 rows");
    expect(countText(500, 500, true, undefined)).toBe("the first 500; there are more");
    expect(countText(500, 500, true, 52_000)).toBe(`the first 500 of ${(52_000).toLocaleString()}`);
    expect(countText(4, 500, true, 52_000)).toBe("4 rows among the first 500");
  });
});
