import { expect, it } from "vitest";
import type { Finding, Port, Round, Stay, Switch } from "../api/client";
import { span } from "../shared/time";
import {
  byPort,
  filterPorts,
  frontBlocks,
  groupsOf,
  portMarks,
  roundText,
  seatsText,
  sitesOf,
  speedText,
  steps,
  tableUse,
  vlanRanges,
} from "./model";

const port = (values: Partial<Port>): Port => ({
  switch: "quay-1",
  name: "p1",
  number: 1,
  alias: "",
  admin_up: true,
  oper: "up",
  oper_since: null,
  speed_bps: null,
  bridged: true,
  duplex: "",
  aggregate: null,
  partner: "",
  default_vlan: null,
  tagged: [],
  untagged: [],
  spanning_tree: "",
  present: 0,
  quiet: 0,
  leads_to: [],
  leads_to_count: 0,
  role: "access",
  role_by_operator: false,
  role_evidence: "",
  beyond: "",
  use: "in use",
  silent_since: null,
  ...values,
});
const stay = (portName: string, mac: string, vlan: number) => ({ port: portName, mac, vlan }) as Stay;

it("narrows ports down by name, label, VLAN, neighbour and digits of an address", () => {
  const ports = [
    port({ name: "p1", alias: "Berth light 1" }),
    port({ name: "p2" }),
    port({ name: "p3", leads_to: ["core-2"] }),
  ];
  const there = byPort([stay("p2", "02:1a:05:07:52:a8", 30), stay("p2", "02:1a:05:07:52:a9", 30)]);
  expect(there.get("p2")).toHaveLength(2);
  const names = (text: string) => filterPorts(ports, there, text).map((one) => one.name);
  expect(names("")).toEqual(["p1", "p2", "p3"]);
  expect(names("BERTH")).toEqual(["p1"]);
  expect(names("p3")).toEqual(["p3"]);
  expect(names("core")).toEqual(["p3"]);
  expect(names("52:a8")).toEqual(["p2"]);
  expect(names("30")).toEqual(["p2"]);
});

it("says speeds and spans as people do", () => {
  expect(speedText(10_000_000_000)).toBe("10 Gb/s");
  expect(speedText(100_000_000)).toBe("100 Mb/s");
  expect(speedText(null)).toBe("");
  expect([span(40_000), span(119_000), span(720_000), span(2 * 3_600_000), span(90_000_000)]).toEqual([
    "40 s",
    "119 s",
    "12 min",
    "2 h",
    "1 d",
  ]);
});

it("draws counts as steps", () => {
  const at = (minutes: number) => new Date(minutes * 60_000).toISOString();
  const path = steps(
    [
      { at: at(0), count: 0 },
      { at: at(5), count: 2 },
    ],
    10 * 60_000,
    100,
    44,
  );
  expect(path).toBe("M0 44.0H50.0V4.0H100");
});

it("says how far a round is and what is left of it", () => {
  const round: Round = {
    id: 4,
    state: "running",
    began_at: "2026-05-04T12:00:00Z",
    ended_at: null,
    total: 3,
    tried: 2,
    complete: 1,
    remaining: ["quay-3"],
    failed: ["quay-2"],
  };
  expect(roundText(round)).toBe("2 of 3 tried, 1 not read completely");
  expect(roundText({ ...round, state: "cancelled" })).toBe(
    "round 4 cancelled: 1 of 3 not read, 1 not read completely",
  );
  const one = { groups: ["berths"], present: 45, table_size: 50 } as Switch;
  expect(groupsOf([one, { ...one, groups: ["berths", "all-day"] }])).toEqual(["all-day", "berths"]);
  const at = ["Quays", "", "Berths", "Quays"].map((site) => ({ site }) as Switch);
  expect(sitesOf(at)).toEqual(["Berths", "Quays"]);
  expect(tableUse(one)).toBe("45 of 50, 90 %");
  expect(tableUse({ ...one, table_size: null })).toBe("45 (size not set)");
});

it("shortens runs of VLANs", () => {
  expect(vlanRanges([])).toBe("");
  expect(vlanRanges([10, 20, 21, 22, 99])).toBe("10, 20–22, 99");
});

it("says how many seats are taken, and when that is too many", () => {
  expect(seatsText({ seats: null, count: 2, room: null, overfull: false })).toBe("2 present, no limit");
  expect(seatsText({ seats: 2, count: 1, room: 1, overfull: false })).toBe("1 present, limit 2, room for 1");
  expect(seatsText({ seats: 1, count: 2, room: 0, overfull: true })).toBe("2 present, limit 1: overfull");
});

it("puts ports where they sit: by member and module", () => {
  const names = ["1/0/1", "1/0/2", "2/0/1", "p3"].map((name, at) => port({ name, number: at }));
  expect(frontBlocks(names).map((one) => [one.name, one.ports.map((each) => each.name)])).toEqual([
    ["1/0", ["1/0/1", "1/0/2"]],
    ["2/0", ["2/0/1"]],
    ["", ["p3"]],
  ]);
  const plain = Array.from({ length: 3 }, (_, at) => port({ name: `p${3 - at}`, number: 3 - at }));
  expect(frontBlocks(plain)[0]?.ports.map((each) => each.name)).toEqual(["p1", "p2", "p3"]);
});

it("marks ports by open findings and broken rules of this switch alone", () => {
  const finding = (state: string, switchName: string) =>
    ({ state, title: "Loop", ports: [{ switch: switchName, port: "p1" }] }) as unknown as Finding;
  const marks = portMarks(
    "quay-1",
    [finding("open", "quay-1"), finding("cleared", "quay-1"), finding("open", "quay-2")],
    [{ switch: "quay-1", port: "p2" }],
  );
  expect([...marks]).toEqual([
    ["p1", { findings: ["Loop"], rule: false }],
    ["p2", { findings: [], rule: true }],
  ]);
});
