// The endpoints whose home is at a switch, with what is known of each.
import { useInfiniteQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { endpointsQuery } from "../api/resources/endpoints";
import { ENDPOINT_COLUMNS, endpointKey } from "../endpoints/columns";
import { endpointPath } from "../shared/links";
import { QueryView } from "../shared/QueryView";
import { DataTable } from "../table/DataTable";
import { moreOf, rowsOf, serverSort } from "../table/paged";

export function AddressTable({ name }: { name: string }) {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const found = useInfiniteQuery(
    endpointsQuery({ switch: name }, serverSort(params.get("sort"), ENDPOINT_COLUMNS)),
  );
  const rows = useMemo(() => rowsOf(found.data), [found.data]);
  return (
    <QueryView query={found} rows={8} cutTold>
      {() => (
        <DataTable
          caption="endpoints at the switch"
          rows={rows}
          columns={ENDPOINT_COLUMNS}
          rowKey={endpointKey}
          empty="No endpoint is at home here."
          more={moreOf(found)}
          exported={{ list: "endpoints", filters: { switch: name } }}
          open={(one) => navigate(endpointPath(one.mac))}
        />
      )}
    </QueryView>
  );
}
