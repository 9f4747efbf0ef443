// What is in the tabs of a switch beside its ports; fetched when one of them is opened.
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schemas, Switch } from "../api/client";
import { changesQuery, readingsQuery } from "../api/resources/history";
import { neighboursQuery, switchVlansQuery } from "../api/resources/switches";
import { Durations } from "../history/Durations";
import { Heading, More, Sheet } from "../shared/Grid";
import { vlanPath } from "../shared/links";
import { Nothing, QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";
import { rowsOf } from "../table/paged";
import { AddressTable } from "./AddressTable";
import { ChangeTable } from "./ChangeTable";
import { NeighbourTable } from "./NeighbourTable";
import { TableUse } from "./TableUse";

export type FurtherTab = "addresses" | "neighbours" | "VLANs" | "readings" | "changes";

export function OneOfTabs({ tab, one, at }: { tab: FurtherTab; one: Switch; at: string | undefined }) {
  switch (tab) {
    case "addresses":
      return <AddressTable name={one.name} />;
    case "neighbours":
      return <Neighbours name={one.name} />;
    case "VLANs":
      return <Vlans name={one.name} />;
    case "readings":
      return <Readings one={one} />;
    case "changes":
      return <Changes name={one.name} at={at} />;
  }
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
