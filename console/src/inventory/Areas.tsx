// Areas of sites, and who tracks the switches of each.
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { areasQuery } from "../api/resources/inventory";
import { Heading } from "../shared/Grid";
import { QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import type { Column } from "../table/model";

type Area = Schemas["Area"];

const trackedBy = (one: Area) => (one.tracker ? `its tracker, at ${one.tracker}` : "the service");

const COLUMNS: Column<Area>[] = [
  {
    id: "name",
    header: "Area",
    cell: (one) => <strong>{one.name || "(none)"}</strong>,
    text: (one) => one.name,
  },
  { id: "sites", header: "Sites", cell: (one) => one.sites.join(", "), text: (one) => one.sites.join(", ") },
  {
    id: "switches",
    header: "Switches",
    number: true,
    cell: (one) => one.switches,
    text: (one) => one.switches,
  },
  { id: "tracker", header: "Tracked by", cell: trackedBy, text: trackedBy },
  {
    id: "tracked",
    header: "Switches it tracks",
    number: true,
    cell: (one) => one.tracked,
    text: (one) => one.tracked,
  },
];

/** Nothing where no site names an area: then there is one, and the service tracks it. */
export function Areas() {
  const found = useQuery(areasQuery);
  return (
    <QueryView query={found} rows={2}>
      {(rows) =>
        rows.some((one) => one.name !== "") && (
          <>
            <Heading>Areas</Heading>
            <DataTable
              name="areas"
              caption="areas"
              rows={rows}
              columns={COLUMNS}
              rowKey={(one) => one.name}
              empty="No switches yet."
            />
          </>
        )
      }
    </QueryView>
  );
}
