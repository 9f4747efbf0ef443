// The rows of a table; of a long one those in sight alone. Scrolling draws these anew, and nothing around them.
import type { RowSelectionState } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type Ref, useCallback, useEffect, useImperativeHandle, useRef } from "react";
import { Line, Spacer } from "./Line";
import type { Column } from "./model";

const ROW_PX = { comfortable: 33, compact: 26 };
const OVERSCAN = 12;

/** The rest of a list that comes page by page. */
export type More = { has: boolean; loading: boolean; load: () => void; total?: number | undefined };

/** `show`: scrolls a row of a long table into sight. */
export type RowsHandle = { show: (index: number) => void };

type Row<T> = { id: string; index: number; original: T };

export function Rows<T extends object>(props: {
  ref: Ref<RowsHandle>;
  lines: Row<T>[];
  virtual: boolean;
  density: keyof typeof ROW_PX;
  /** In columns. */
  width: number;
  more: More | undefined;
  visible: Column<T>[];
  selection: RowSelectionState;
  select: ((id: string, on: boolean) => void) | undefined;
}) {
  const { lines, virtual, more, width } = props;
  const body = useRef<HTMLTableSectionElement>(null);
  const rowPx = ROW_PX[props.density];
  const virtualizer = useVirtualizer({
    count: lines.length,
    enabled: virtual,
    // Looked up: a ref of the parent is set only after the effects in here have run.
    getScrollElement: () => body.current?.closest<HTMLElement>("section") ?? null,
    estimateSize: () => rowPx,
    getItemKey: useCallback((index: number) => lines[index]?.id ?? index, [lines]),
    overscan: OVERSCAN,
  });
  useImperativeHandle(props.ref, () => ({ show: (index) => virtual && virtualizer.scrollToIndex(index) }), [
    virtual,
    virtualizer,
  ]);
  const items = virtual ? virtualizer.getVirtualItems() : [];
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (more?.has && !more.loading && virtual && last >= lines.length - 2 * OVERSCAN) more.load();
  }, [more, virtual, last, lines.length]);

  const seen = virtual ? items.flatMap((item) => lines[item.index] ?? []) : lines;
  const before = items[0]?.start ?? 0;
  const after = virtual ? virtualizer.getTotalSize() - (items.at(-1)?.end ?? 0) : 0;
  return (
    <tbody ref={body}>
      {before > 0 && <Spacer height={before} width={width} />}
      {seen.map((line) => (
        <Line
          key={line.id}
          id={line.id}
          index={line.index}
          row={line.original}
          visible={props.visible}
          selected={props.selection[line.id] === true}
          select={props.select}
          measure={virtual ? virtualizer.measureElement : undefined}
        />
      ))}
      {after > 0 && <Spacer height={after} width={width} />}
    </tbody>
  );
}
