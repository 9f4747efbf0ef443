// Who changed what of the rules, when and why.
import { useInfiniteQuery } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { ruleLogQuery } from "../api/resources/rules";
import { Age } from "../shared/Age";
import type { Column } from "../table/model";
import { PagedTable } from "../table/PagedTable";
import { valueText } from "./model";

type RuleEvent = Schemas["RuleEvent"];

const COLUMNS: Column<RuleEvent>[] = [
  { id: "at", header: "When", width: 110, cell: (one) => <Age at={one.at} ago />, text: (one) => one.at },
  { id: "by", header: "Who", width: 100, cell: (one) => one.by, text: (one) => one.by },
  { id: "level", header: "Level", width: 200, cell: (one) => one.level, text: (one) => one.level },
  {
    id: "what",
    header: "What",
    width: 190,
    cell: (one) => (
      <>
        {one.what} {one.address && <span className="mono">{one.address}</span>}
      </>
    ),
    text: (one) => `${one.what} ${one.address}`.trim(),
  },
  {
    id: "before",
    header: "Before",
    width: 140,
    cell: (one) => <span className="soft">{shown(one.before)}</span>,
    text: (one) => shown(one.before),
  },
  {
    id: "after",
    header: "After",
    width: 140,
    cell: (one) => shown(one.after),
    text: (one) => shown(one.after),
  },
  { id: "via", header: "Via", width: 90, wide: true, cell: (one) => one.via, text: (one) => one.via },
  { id: "reason", header: "Why", width: 220, cell: (one) => one.reason, text: (one) => one.reason },
];

const rowKey = (one: RuleEvent) => `${one.at} ${one.level} ${one.what} ${one.address}`;

export function LogPage() {
  const log = useInfiniteQuery(ruleLogQuery);
  return (
    <PagedTable
      query={log}
      expected={8}
      caption="log of rules"
      columns={COLUMNS}
      rowKey={rowKey}
      empty="No rule was ever changed."
    />
  );
}

function shown(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "object" && !Array.isArray(value))
    return Object.values(value)
      .filter((one) => one !== null && one !== "")
      .join(", ");
  return valueText(value);
}
