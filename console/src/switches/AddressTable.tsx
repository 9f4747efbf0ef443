// The endpoints whose home is at a switch, with what is known of each.
import { useInfiniteQuery } from "@tanstack/react-query";
import { useNavigate, useSearchParams } from "react-router";
import { endpointsQuery } from "../api/resources/endpoints";
import { ENDPOINT_COLUMNS, endpointKey } from "../endpoints/columns";
import { endpointPath } from "../shared/links";
import { PagedTable } from "../table/PagedTable";
import { serverSort } from "../table/paged";

export function AddressTable({ name }: { name: string }) {
  const [params] = useSearchParams();
  const navigate = useNavigate();
  const found = useInfiniteQuery(
    endpointsQuery({ switch: name }, serverSort(params.get("sort"), ENDPOINT_COLUMNS)),
  );
  return (
    <PagedTable
      query={found}
      expected={8}
      caption="endpoints at the switch"
      columns={ENDPOINT_COLUMNS}
      rowKey={endpointKey}
      empty="No endpoint is at home here."
      exported={{ list: "endpoints", filters: { switch: name } }}
      open={(one) => navigate(endpointPath(one.mac))}
    />
  );
}
