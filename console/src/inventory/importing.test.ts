import { describe, expect, it } from "vitest";
import type { Switch } from "../api/client";
import { readInventory } from "./importing";

const QUAY = {
  name: "quay-1",
  source: "snmp",
  host: "192.0.2.1",
  port: 161,
  credential: "site-read",
  write_credential: null,
  site: "quay",
  groups: ["edge"],
  notes: "",
  interval_s: 60,
  timeout_s: null,
  tries: null,
  table_size: null,
  hold_time_s: null,
  enabled: true,
} as unknown as Switch;

describe("an inventory as CSV", () => {
  it("is compared with the one there is; separators are found out", () => {
    const read = readInventory(
      "name;address;credential;site;health\nquay-1;192.0.2.1:1161;;quay;late\nquay-2;192.0.2.2;site-read;;\n",
      [QUAY],
    );
    expect(read.problems).toEqual([]);
    expect(read.change).toEqual({ "quay-1": { port: 1161 } });
    expect(read.add).toMatchObject([
      { name: "quay-2", host: "192.0.2.2", port: 161, credential: "site-read" },
    ]);
    expect(read.differences).toEqual([
      { name: "quay-1", field: "port", before: "161", after: "1161" },
      { name: "quay-2", field: "", before: "", after: "new, 192.0.2.2" },
    ]);
  });
  it("changes nothing where nothing differs, and takes IPv6", () => {
    expect(readInventory("name,site\nquay-1,quay\n", [QUAY])).toMatchObject({ change: {}, unchanged: 1 });
    const read = readInventory("name,address\nsix,2001:db8::1\nseven,[2001:db8::2]:1161\n", []);
    expect(read.add.map((one) => [one.host, one.port])).toEqual([
      ["2001:db8::1", 161],
      ["2001:db8::2", 1161],
    ]);
  });
  it("says where what is wrong", () => {
    expect(readInventory("naam,site\nx,y\n", []).problems.join()).toContain("naam");
    expect(readInventory("name,site\n,y\na,b\na,c\n", []).problems).toEqual([
      "Line 2: it has no name",
      "a is new and has no address",
      "Line 4: a stands there twice",
    ]);
  });
});
