// Ports by rule: find, sort, choose many, and mark what is to be set there.
import { chakra } from "@chakra-ui/react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { Link, useSearchParams } from "react-router";
import { rollCallPagesQuery } from "../api/resources/rules";
import { portPath } from "../shared/links";
import { StatusText } from "../shared/StatusText";
import { usePutParam } from "../shared/usePutParam";
import type { Column } from "../table/model";
import { PagedTable } from "../table/PagedTable";
import {
  type CalledPort,
  chosenLevel,
  levelText,
  marked,
  type Pending,
  portState,
  type Values,
  valueText,
} from "./model";
import { PendingEdits } from "./PendingEdits";
import { useRules } from "./RulesLayout";
import { ValueFields } from "./Values";
import { WhereChoice } from "./WhereChoice";

const rowKey = (port: CalledPort) => `${port.switch} ${port.port}`;

export function GridPage() {
  const [params] = useSearchParams();
  const { pending, setPending } = useRules();
  const where = params.get("where") ?? "";
  const broken = params.get("broken") === "yes";
  const calls = useInfiniteQuery(rollCallPagesQuery({ ...chosenLevel(where), broken, without_rule: true }));
  const columns = useMemo(() => columnsOf(pending), [pending]);
  const set = usePutParam({ replace: true });
  const bulk = useCallback(
    (chosen: CalledPort[], clear: () => void) => (
      <ValueFields
        of={chosen.length === 1 ? "this port" : `${chosen.length} ports`}
        mark={(values) => {
          const levels = chosen.map((one) => ({ switch: one.switch, port: one.port }));
          setPending(marked(pending, levels, values));
          clear();
        }}
      />
    ),
    [pending, setPending],
  );
  return (
    <>
      <PendingEdits />
      <PagedTable
        query={calls}
        expected={10}
        caption="ports by rule"
        columns={columns}
        rowKey={rowKey}
        empty="No port matches."
        bulk={bulk}
      >
        <WhereChoice id="where" label="Ports of" where={where} setWhere={(next) => set("where", next)} />
        <label>
          <input type="checkbox" checked={broken} onChange={() => set("broken", broken ? "" : "yes")} /> only
          broken rules
        </label>
      </PagedTable>
    </>
  );
}

function columnsOf(pending: Pending): Column<CalledPort>[] {
  const value = (name: keyof Values, header: string, width: number, none: string): Column<CalledPort> => ({
    id: name,
    header,
    width,
    cell: (one) => (
      <Value
        port={one}
        name={name}
        change={pending.get(levelText({ switch: one.switch, port: one.port }))}
        none={none}
      />
    ),
    text: (one) => (one.sources[name] === undefined ? none : valueText(one[name])),
  });
  return [
    { id: "switch", header: "Switch", width: 130, cell: (one) => one.switch, text: (one) => one.switch },
    {
      id: "port",
      header: "Port",
      width: 90,
      cell: (one) => <Link to={portPath(one.switch, one.port)}>{one.port}</Link>,
      text: (one) => one.port,
    },
    {
      id: "alias",
      header: "Label",
      width: 140,
      wide: true,
      cell: (one) => one.alias,
      text: (one) => one.alias,
    },
    {
      id: "present",
      header: "Present",
      width: 70,
      number: true,
      cell: (one) => one.present,
      text: (one) => one.present,
    },
    value("seats", "Seats", 120, ""),
    {
      id: "room",
      header: "Room",
      width: 70,
      number: true,
      cell: (one) => one.room ?? "",
      text: (one) => one.room ?? "",
    },
    value("watched", "Watched", 110, "no"),
    value("vlans", "VLANs", 100, ""),
    value("on_breach", "On breach", 110, ""),
    {
      id: "enrolled",
      header: "Enrolled",
      width: 90,
      number: true,
      cell: (one) => one.roll_size > 0 && `${one.enrolled} of ${one.roll_size}`,
      text: (one) => one.enrolled,
    },
    {
      id: "state",
      header: "State",
      width: 120,
      cell: (one) => <StatusText of={portState(one)} />,
      text: portState,
    },
  ];
}

/** A value with the level it comes from; what is marked stands out until it is applied. */
function Value({
  port,
  name,
  change,
  none,
}: {
  port: CalledPort;
  name: keyof Values;
  change: Partial<Values> | undefined;
  none: string;
}) {
  const source = port.sources[name];
  const text = source === undefined ? none : valueText(port[name]);
  if (change && name in change) {
    return (
      <chakra.span borderLeft="3px solid" borderLeftColor="kite" paddingLeft="6px" title="not applied yet">
        <chakra.s color="soft">{text}</chakra.s> <strong>{valueText(change[name])}</strong>
      </chakra.span>
    );
  }
  return (
    <span title={source && `set for ${source}`}>
      {text}
      {source && source !== levelText({ switch: port.switch, port: port.port }) && (
        <chakra.span color="soft" fontSize="12px">
          {" "}
          {source}
        </chakra.span>
      )}
    </span>
  );
}
