// A list that comes page by page, in all its states: the table loads on as one scrolls.
import { useMemo } from "react";
import { QueryView } from "../shared/QueryView";
import { DataTable, type DataTableProps } from "./DataTable";
import { moreOf, type Paged, rowsOf } from "./paged";

type Props<T extends object> = Omit<DataTableProps<T>, "rows" | "more"> & {
  query: Paged<T>;
  /** Rows to expect, as long as nothing is there. */
  expected: number;
  /** How many rows the list has, where that is known. */
  total?: number | undefined;
};

export function PagedTable<T extends object>({ query, expected, total, ...table }: Props<T>) {
  const rows = useMemo(() => rowsOf(query.data), [query.data]);
  return (
    <QueryView query={query} rows={expected} cutTold>
      {() => <DataTable {...table} rows={rows} more={moreOf(query, total)} />}
    </QueryView>
  );
}
