// Everything about a switch, in tabs: ports, addresses, neighbours, VLANs, readings, changes.
import { chakra, Flex, Tabs } from "@chakra-ui/react";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Schemas, Switch } from "../api/client";
import { changesQuery, readingsQuery } from "../api/resources/history";
import { portsQuery } from "../api/resources/ports";
import { onSwitchQuery } from "../api/resources/stays";
import { neighboursQuery, switchVlansQuery } from "../api/resources/switches";
import { Durations } from "../history/Durations";
import { Field, Heading, More, Sheet } from "../shared/Grid";
import { vlanPath } from "../shared/links";
import { ErrorNotice, Nothing, QueryView, Waiting } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { rowsOf } from "../table/paged";
import { AddressTable } from "./AddressTable";
import { ChangeTable } from "./ChangeTable";
import { byPort, filterPorts } from "./model";
import { NeighbourTable } from "./NeighbourTable";
import { PortTable } from "./PortTable";
import { TableUse } from "./TableUse";

const TABS = ["ports", "addresses", "neighbours", "VLANs", "readings", "changes"] as const;
type Tab = (typeof TABS)[number];
/** Those that can show the past. */
const PAST: readonly Tab[] = ["ports", "changes"];

export function SwitchTabs(props: {
  one: Switch;
  at: string | undefined;
  tab: string | null;
  setTab: (tab: string | null) => void;
}) {
  const { one, at, setTab } = props;
  const tabs = at ? PAST : TABS;
  const tab = tabs.find((name) => name === props.tab) ?? "ports";
  return (
    <Tabs.Root
      value={tab}
      onValueChange={({ value }) => setTab(value === "ports" ? null : value)}
      lazyMount
      unmountOnExit
      marginTop="14px"
    >
      <Tabs.List>
        {tabs.map((name) => (
          <Tabs.Trigger key={name} value={name} color="ink" textTransform="none">
            {name === "VLANs" ? name : name.charAt(0).toUpperCase() + name.slice(1)}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Tabs.Content value="ports" paddingTop="10px">
        <Ports name={one.name} at={at} />
      </Tabs.Content>
      <Tabs.Content value="addresses" paddingTop="10px">
        <AddressTable name={one.name} />
      </Tabs.Content>
      <Tabs.Content value="neighbours" paddingTop="10px">
        <Neighbours name={one.name} />
      </Tabs.Content>
      <Tabs.Content value="VLANs" paddingTop="10px">
        <Vlans name={one.name} />
      </Tabs.Content>
      <Tabs.Content value="readings" paddingTop="10px">
        <Readings one={one} />
      </Tabs.Content>
      <Tabs.Content value="changes" paddingTop="10px">
        <Changes name={one.name} at={at} />
      </Tabs.Content>
    </Tabs.Root>
  );
}

function Ports({ name, at }: { name: string; at: string | undefined }) {
  const ports = useQuery(portsQuery(name, at));
  const stays = useQuery(onSwitchQuery(name, at));
  const [text, setText] = useState("");
  const there = useMemo(() => byPort(stays.data?.items ?? []), [stays.data]);
  return (
    <QueryView query={ports} rows={8}>
      {(all) => {
        const bridged = all.filter((port) => port.bridged);
        const shown = filterPorts(bridged, there, text);
        return (
          <>
            <Flex align="center" gap="12px" margin="0 0 8px" wrap="wrap">
              <chakra.label htmlFor="narrow">Filter</chakra.label>
              <Field
                id="narrow"
                value={text}
                onChange={(event) => setText(event.target.value)}
                placeholder="port, label, VLAN or digits of an address"
                spellCheck={false}
                width="340px"
                maxWidth="100%"
              />
              <chakra.span color="soft">
                {shown.length} of {bridged.length} ports
              </chakra.span>
            </Flex>
            <Sheet tabIndex={0} aria-label="who is on each port">
              {stays.error && <ErrorNotice error={stays.error} again={() => void stays.refetch()} />}
              {shown.length === 0 ? (
                <Nothing>
                  {bridged.length === 0 ? "Its ports have not been read yet." : "No port matches."}
                </Nothing>
              ) : stays.isPending ? (
                <Waiting rows={8} />
              ) : (
                <PortTable ports={shown} stays={there} />
              )}
            </Sheet>
          </>
        );
      }}
    </QueryView>
  );
}

function Neighbours({ name }: { name: string }) {
  const neighbours = useQuery(neighboursQuery(name));
  return (
    <Sheet tabIndex={0} aria-label="neighbours">
      <QueryView query={neighbours}>
        {(rows) =>
          rows.length === 0 ? (
            <Nothing>No device announces itself to it (LLDP).</Nothing>
          ) : (
            <NeighbourTable neighbours={rows} />
          )
        }
      </QueryView>
    </Sheet>
  );
}

const VLANS: Column<Schemas["Vlan"]>[] = [
  {
    id: "id",
    header: "VLAN",
    cell: (one) => <Link to={vlanPath(one.id)}>{one.id}</Link>,
    text: (one) => one.id,
  },
  { id: "name", header: "Name", cell: (one) => one.name, text: (one) => one.name },
];

function Vlans({ name }: { name: string }) {
  const vlans = useQuery(switchVlansQuery(name));
  return (
    <QueryView query={vlans} rows={4}>
      {(rows) => (
        <DataTable
          caption="VLANs of the switch"
          rows={rows}
          columns={VLANS}
          rowKey={(one) => String(one.id)}
          empty="It does not report its VLANs."
        />
      )}
    </QueryView>
  );
}

function Readings({ one }: { one: Switch }) {
  const found = useInfiniteQuery(readingsQuery(one.name, null));
  const readings = rowsOf(found.data);
  return (
    <QueryView query={found} rows={6} cutTold>
      {() =>
        readings.length === 0 ? (
          <Nothing>It has not been read yet.</Nothing>
        ) : (
          <>
            <Heading marginTop="0">
              Addresses in its table{" "}
              <More to={`/history/readings?of=${encodeURIComponent(one.name)}`}>each reading</More>
            </Heading>
            <TableUse readings={readings} size={one.table_size} />
            <Heading>How long reading took</Heading>
            <Durations readings={readings} />
          </>
        )
      }
    </QueryView>
  );
}

const CHANGES_SHOWN = 100;

function Changes({ name, at }: { name: string; at: string | undefined }) {
  const changes = useQuery(
    changesQuery({ switch: name, limit: CHANGES_SHOWN, ...(at ? { until: at } : {}) }),
  );
  return (
    <Sheet tabIndex={0} aria-label="changes">
      <QueryView query={changes}>
        {(page) =>
          page.items.length === 0 ? <Nothing>Nothing yet.</Nothing> : <ChangeTable changes={page.items} />
        }
      </QueryView>
    </Sheet>
  );
}
