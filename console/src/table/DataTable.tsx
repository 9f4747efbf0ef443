// The table of every list: sorted, narrowed, its columns chosen, rows selected and copied, by mouse or keyboard.
// What is chosen is in the URL. Only rows in sight are in the page, so that lists of any length scroll.
import { Box, chakra, Flex } from "@chakra-ui/react";
import { type RowSelectionState, rowSelectionFeature, tableFeatures, useTable } from "@tanstack/react-table";
import { type ReactNode, useCallback, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { usePreference } from "../app/preferences";
import { Grid, Sheet } from "../shared/Grid";
import type { ExportFilter } from "../shared/links";
import { usePutParam } from "../shared/usePutParam";
import {
  type Column,
  columnsText,
  countText,
  narrowed,
  nextSort,
  shownColumns,
  sorted,
  sortOf,
  sortText,
} from "./model";
import { type More, Rows, type RowsHandle } from "./Rows";
import { Toolbar } from "./Toolbar";

const features = tableFeatures({ rowSelectionFeature });
/** Columns are shown from the model, which also says what is copied and narrowed: the library keeps rows. */
const NO_DEFINITIONS: [] = [];
/** Below this many rows all are in the page: the browser's own search finds them, and print has them. */
const MOST_WHOLE = 150;

export type DataTableProps<T extends object> = {
  /** What the table is of, for people who hear it. */
  caption: string;
  rows: T[];
  columns: Column<T>[];
  rowKey: (row: T) => string;
  empty: ReactNode;
  /** The rest of a list that comes page by page, sorted by the service. */
  more?: More | undefined;
  /** The file of the whole list. */
  exported?: { list: string; filters?: ExportFilter } | undefined;
  /** What can be done with selected rows. */
  bulk?: ((rows: T[], clear: () => void) => ReactNode) | undefined;
  /** Opens a row from the keyboard. */
  open?: ((row: T) => void) | undefined;
  /** Lays rows out in a box that scrolls by itself; a short list is as long as it is. */
  height?: string;
  /** Two tables on one page keep apart what is in the URL. */
  name?: string;
  children?: ReactNode;
};

/** Few enough rows that nothing is gained by narrowing or choosing columns. */
const FEW = 5;

export function DataTable<T extends object>(props: DataTableProps<T>) {
  const { caption, rows, columns, rowKey, empty, more, exported, bulk, open, name = "" } = props;
  const [params] = useSearchParams();
  const key = (what: string) => (name ? `${name}-${what}` : what);
  const [selection, setSelection] = useState<RowSelectionState>({});
  const density = usePreference("density");
  const text = params.get(key("narrow")) ?? "";
  const sort = sortOf(params.get(key("sort")));
  const shown = shownColumns(columns, params.get(key("columns")));
  const putParam = usePutParam({ replace: true });
  const put = (what: string, value: string) => putParam(key(what), value);

  const sortColumn = columns.find((one) => (more ? one.sortBy : one.id) === sort?.id);
  const shownText = shown.join(",");
  const visible = useMemo(
    () => shownText.split(",").flatMap((id) => columns.filter((one) => one.id === id)),
    [shownText, columns],
  );
  const byService = more !== undefined;
  const data = useMemo(() => {
    const found = narrowed(rows, visible, text);
    return byService ? found : sorted(found, sortColumn, sort?.descending ?? false);
  }, [rows, visible, text, byService, sortColumn, sort?.descending]);
  const table = useTable({
    features,
    columns: NO_DEFINITIONS,
    data,
    getRowId: rowKey,
    enableRowSelection: bulk !== undefined,
    state: { rowSelection: selection },
    onRowSelectionChange: setSelection,
  });
  const select = useCallback(
    (id: string, on: boolean) =>
      setSelection(({ [id]: _, ...others }) => (on ? { ...others, [id]: true } : others)),
    [],
  );
  const selected = useMemo(() => rows.filter((row) => selection[rowKey(row)]), [rows, selection, rowKey]);
  const lines = table.getRowModel().rows;

  const box = useRef<HTMLDivElement>(null);
  const virtual = lines.length > MOST_WHOLE || more?.has === true;
  const shownRows = useRef<RowsHandle>(null);
  const width = visible.length + (bulk ? 1 : 0);

  /** Arrows go from row to row; Enter opens the row, the space bar selects it. */
  const onKey = (event: React.KeyboardEvent) => {
    const row = (event.target as HTMLElement).closest("tr");
    const at = Number(row?.getAttribute("data-index") ?? Number.NaN);
    const line = lines[at];
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const next = Number.isNaN(at) ? 0 : at + (event.key === "ArrowDown" ? 1 : -1);
      if (next < 0 || next >= lines.length) return;
      event.preventDefault();
      shownRows.current?.show(next);
      const focus = () => {
        const found = box.current?.querySelector<HTMLElement>(`tr[data-index="${next}"]`);
        found?.focus();
        return found;
      };
      // At once, so that the next key starts from there; a row that scrolls into sight is drawn a frame later.
      if (!focus()) requestAnimationFrame(focus);
    } else if (event.target === row && line) {
      if (event.key === "Enter" && open) open(line.original);
      else if (event.key === " " && bulk) {
        event.preventDefault();
        select(line.id, selection[line.id] !== true);
      }
    }
  };

  return (
    <>
      <Toolbar
        columns={columns}
        shown={shown}
        setShown={(next) => put("columns", columnsText(columns, next))}
        text={text}
        setText={(next) => put("narrow", next)}
        count={countText(data.length, rows.length, more?.has ?? false, more?.total)}
        rows={selected.length > 0 ? selected : data}
        visible={visible}
        exported={exported}
        few={rows.length <= FEW && text === "" && !more}
      >
        {props.children}
      </Toolbar>
      {bulk && selected.length > 0 && (
        <Flex
          role="group"
          aria-label="with the selected rows"
          align="center"
          gap="10px"
          wrap="wrap"
          bg="mark"
          padding="6px 12px"
          marginBottom="8px"
          borderRadius="6px"
        >
          <strong>{selected.length} selected</strong>
          {bulk(selected, () => setSelection({}))}
          <chakra.button type="button" color="tarn" fontWeight={600} onClick={() => setSelection({})}>
            Select none
          </chakra.button>
        </Flex>
      )}
      <Sheet
        ref={box}
        tabIndex={0}
        aria-label={caption}
        onKeyDown={onKey}
        style={virtual ? { ...SCROLLING, maxHeight: props.height ?? "calc(100vh - 220px)" } : undefined}
      >
        {data.length === 0 ? (
          <Box role="status" padding="22px 14px" color="soft">
            {rows.length > 0 ? "No row has these words." : empty}
          </Box>
        ) : (
          <Grid
            aria-rowcount={more?.has ? -1 : data.length + 1}
            data-listed
            data-fixed={virtual || undefined}
            data-compact={density === "compact" || undefined}
          >
            <caption className="sr">{caption}</caption>
            {virtual && (
              <colgroup>
                {bulk && <col style={{ width: 34 }} />}
                {visible.map((one) => (
                  <col
                    key={one.id}
                    className={one.wide ? "wide" : undefined}
                    style={one.width ? { width: one.width } : {}}
                  />
                ))}
              </colgroup>
            )}
            <thead>
              <tr>
                {bulk && (
                  <th scope="col">
                    <input
                      type="checkbox"
                      aria-label="select all that are shown"
                      checked={table.getIsAllRowsSelected()}
                      onChange={(event) => table.toggleAllRowsSelected(event.target.checked)}
                    />
                  </th>
                )}
                {visible.map((one) => {
                  const by = more ? one.sortBy : one.text && one.id;
                  const here = by !== undefined && sort?.id === by;
                  return (
                    <th
                      key={one.id}
                      scope="col"
                      className={
                        [one.number && "n", one.wide && "wide"].filter(Boolean).join(" ") || undefined
                      }
                      aria-sort={here ? (sort?.descending ? "descending" : "ascending") : undefined}
                    >
                      {by ? (
                        <chakra.button
                          type="button"
                          fontWeight={600}
                          cursor="pointer"
                          _hover={{ color: "ink" }}
                          onClick={() => put("sort", sortText(nextSort(sort, by)))}
                        >
                          {one.header}
                          <span aria-hidden>{here ? (sort?.descending ? " ▼" : " ▲") : ""}</span>
                        </chakra.button>
                      ) : (
                        one.header
                      )}
                    </th>
                  );
                })}
              </tr>
            </thead>
            <Rows
              ref={shownRows}
              lines={lines}
              virtual={virtual}
              density={density}
              width={width}
              more={more}
              visible={visible}
              selection={selection}
              select={bulk ? select : undefined}
            />
          </Grid>
        )}
      </Sheet>
      {more?.loading && (
        <chakra.p role="status" color="soft" fontSize="13px" padding="4px 2px">
          Loading more…
        </chakra.p>
      )}
    </>
  );
}

const SCROLLING = { minHeight: "240px", overflow: "auto" } as const;
