// The inventory: every switch, its health and when it was last read; added, changed and read from here.
import { Button, Flex } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, need, type Switch } from "../api/client";
import { switchesQuery } from "../api/resources/switches";
import { SwitchForm } from "../inventory/SwitchForm";
import { drop } from "../people/drop";
import { useMay } from "../session/useSession";
import { Age } from "../shared/Age";
import { Confirm } from "../shared/Confirm";
import { Choice, Field, Title } from "../shared/Grid";
import { switchPath } from "../shared/links";
import { ErrorNotice, QueryView } from "../shared/QueryView";
import { StatusText } from "../shared/StatusText";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
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
    cell: (one) => <span className="soft">{problems(one)}</span>,
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
              bulk={mayRead ? (chosen, clear) => <Bulk switches={chosen} done={clear} /> : undefined}
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

const SETTABLE = {
  site: "site",
  groups: "groups",
  interval_s: "read every (s)",
  credential: "credential",
  hold_time_s: "hold quiet addresses (s)",
  table_size: "addresses its table holds",
} as const;
type Settable = keyof typeof SETTABLE;

/** One setting of many switches, as one change: all of them or none. */
function Bulk({ switches, done }: { switches: Switch[]; done: () => void }) {
  const client = useQueryClient();
  const mayChange = useMay("administer");
  const [what, setWhat] = useState<Settable>("site");
  const [value, setValue] = useState("");
  const settled = { onSuccess: done, onSettled: () => client.invalidateQueries({ queryKey: ["switches"] }) };
  const read = useMutation({
    mutationFn: () =>
      need(api.POST("/api/v1/rounds", { body: { switches: switches.map((one) => one.name), all: false } })),
    onSuccess: done,
    onSettled: () => client.invalidateQueries({ queryKey: ["rounds"] }),
  });
  const change = useMutation({
    mutationFn: (part: Record<string, unknown>) =>
      need(
        api.PATCH("/api/v1/switches", {
          body: { change: Object.fromEntries(switches.map((one) => [one.name, part])), dry_run: false },
        }),
      ),
    ...settled,
  });
  const remove = useMutation({
    mutationFn: async () => {
      for (const one of switches) {
        await drop(api.DELETE("/api/v1/switches/{name}", { params: { path: { name: one.name } } }));
      }
    },
    ...settled,
  });
  const text = value.trim();
  const given =
    what === "groups"
      ? text.split(/[,;\s]+/).filter(Boolean)
      : what === "site" || what === "credential"
        ? text
        : text === ""
          ? null
          : Number(text);
  const error = read.error ?? change.error ?? remove.error;
  return (
    <>
      <Button size="xs" variant="outline" loading={read.isPending} onClick={() => read.mutate()}>
        Read now
      </Button>
      {mayChange && (
        <>
          <Flex
            as="form"
            gap="6px"
            align="center"
            wrap="wrap"
            onSubmit={(event) => {
              event.preventDefault();
              change.mutate({ [what]: given });
            }}
          >
            <Choice
              aria-label="setting to change"
              value={what}
              onChange={(event) => setWhat(event.target.value as Settable)}
            >
              {Object.entries(SETTABLE).map(([name, label]) => (
                <option key={name} value={name}>
                  {label}
                </option>
              ))}
            </Choice>
            <Field
              aria-label={`new ${SETTABLE[what]}`}
              width="140px"
              value={value}
              onChange={(event) => setValue(event.target.value)}
            />
            <Button type="submit" size="xs" variant="outline" loading={change.isPending}>
              Set it
            </Button>
          </Flex>
          <Button size="xs" variant="outline" onClick={() => change.mutate({ enabled: false })}>
            Stop reading
          </Button>
          <Button size="xs" variant="outline" onClick={() => change.mutate({ enabled: true })}>
            Read again
          </Button>
          <Confirm
            label={`Remove ${switches.length}`}
            title={`Remove ${switches.length} switches?`}
            busy={remove.isPending}
            act={() => remove.mutate()}
          >
            They are read no more, and their stays end: {switches.map((one) => one.name).join(", ")}. What was
            recorded is kept as long as the retention says.
          </Confirm>
        </>
      )}
      {error && <ErrorNotice error={error} />}
    </>
  );
}
