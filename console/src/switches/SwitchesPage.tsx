// The inventory: every switch, its health and when it was last read; added, changed and read from here.
import { Button, chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearchParams } from "react-router";
import type { Switch } from "../api/client";
import { switchesQuery } from "../api/resources/switches";
import { SwitchForm } from "../inventory/SwitchForm";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Title } from "../shared/Grid";
import { switchPath } from "../shared/links";
import { QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { BulkSwitches } from "./BulkSwitches";
import { FirstSwitch } from "./FirstSwitch";
import { addressText, tableUse } from "./model";
import { ReadMany } from "./ReadMany";

const COLUMNS: Column<Switch>[] = [
  {
    id: "name",
    header: "Switch",
    width: 150,
    cell: (one) => <Link to={switchPath(one.name)}>{one.name}</Link>,
    text: (one) => one.name,
  },
  {
    id: "location",
    wide: true,
    header: "Where",
    width: 170,
    cell: (one) => one.location,
    text: (one) => one.location,
  },
  {
    id: "health",
    header: "Health",
    width: 100,
    cell: (one) => <StatusText of={one.health} />,
    text: (one) => one.health,
  },
  {
    id: "read_at",
    header: "Last read",
    width: 110,
    cell: (one) => <Age at={one.read_at} ago={one.read_at !== null} />,
    text: (one) => one.read_at ?? "",
  },
  {
    id: "present",
    header: "Present",
    width: 80,
    number: true,
    cell: (one) => one.present,
    text: (one) => one.present,
  },
  {
    id: "table_size",
    wide: true,
    header: "Table",
    width: 130,
    number: true,
    cell: (one) => (one.table_size === null ? "" : tableUse(one)),
    text: (one) => (one.table_size === null ? "" : Math.round((100 * one.present) / one.table_size)),
  },
  { id: "site", wide: true, header: "Site", width: 110, cell: (one) => one.site, text: (one) => one.site },
  {
    id: "groups",
    wide: true,
    header: "Groups",
    width: 140,
    cell: (one) => one.groups.join(", "),
    text: (one) => one.groups.join(", "),
  },
  { id: "host", wide: true, header: "Address", width: 170, mono: true, cell: addressText, text: addressText },
  {
    id: "error",
    wide: true,
    header: "Problem",
    width: 260,
    cell: (one) => (
      <chakra.span className="soft" lineClamp={2} title={problems(one)}>
        {problems(one)}
      </chakra.span>
    ),
    text: problems,
  },
  {
    id: "model",
    header: "Model",
    width: 140,
    extra: true,
    cell: (one) => one.model,
    text: (one) => one.model,
  },
  {
    id: "software",
    header: "Software",
    width: 120,
    extra: true,
    cell: (one) => one.software,
    text: (one) => one.software,
  },
  {
    id: "serial",
    header: "Serial number",
    width: 120,
    extra: true,
    cell: (one) => one.serial,
    text: (one) => one.serial,
  },
  {
    id: "credential",
    header: "Polled as",
    width: 140,
    extra: true,
    cell: (one) => one.credential ?? one.credential_kind,
    text: (one) => one.credential ?? one.credential_kind,
  },
  {
    id: "interval_s",
    header: "Read every",
    width: 90,
    extra: true,
    number: true,
    cell: (one) => `${one.interval_s} s`,
    text: (one) => one.interval_s,
  },
  {
    id: "up_since",
    header: "Up for",
    width: 90,
    extra: true,
    cell: (one) => <Age at={one.up_since} />,
    text: (one) => one.up_since ?? "",
  },
  {
    id: "notes",
    header: "Notes",
    width: 200,
    extra: true,
    cell: (one) => one.notes,
    text: (one) => one.notes,
  },
];

function problems(one: Switch): string {
  return [one.error, ...one.warnings].filter(Boolean).join("; ");
}

export function SwitchesPage() {
  const switches = useQuery(switchesQuery);
  const navigate = useNavigate();
  const mayAdd = useMay("administer");
  const mayRead = useMay("operate");
  const [params, setParams] = useSearchParams();
  const adding = params.get("add") === "yes";
  const setAdding = (next: boolean) => setParams(next ? { add: "yes" } : {}, { replace: true });
  return (
    <>
      <Title>Switches</Title>
      {mayRead && switches.data && switches.data.items.length > 0 && (
        <ReadMany switches={switches.data.items} />
      )}
      <QueryView query={switches} rows={12}>
        {({ items }) =>
          items.length === 0 ? (
            <FirstSwitch add={mayAdd ? () => setAdding(true) : undefined} />
          ) : (
            <DataTable
              caption="switches"
              rows={items}
              columns={COLUMNS}
              rowKey={(one) => one.name}
              empty=""
              exported={{ list: "switches" }}
              open={(one) => navigate(switchPath(one.name))}
              bulk={mayRead ? (chosen, clear) => <BulkSwitches switches={chosen} done={clear} /> : undefined}
            >
              {mayAdd && (
                <Button size="sm" bg="tarn" color="onTarn" onClick={() => setAdding(true)}>
                  Add a switch
                </Button>
              )}
            </DataTable>
          )
        }
      </QueryView>
      {adding && (
        <SwitchForm
          of={null}
          onClose={(saved) => {
            if (saved) navigate(switchPath(saved));
            else setAdding(false);
          }}
        />
      )}
    </>
  );
}
