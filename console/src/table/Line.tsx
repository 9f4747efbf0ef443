// A row of the table, and the room of rows that are out of sight.
import { memo } from "react";
import type { Column } from "./model";

type LineProps<T> = {
  id: string;
  index: number;
  row: T;
  visible: Column<T>[];
  selected: boolean;
  select: ((id: string, on: boolean) => void) | undefined;
  measure: ((element: HTMLTableRowElement | null) => void) | undefined;
};

/** One row; drawn again only when it differs, however often the table scrolls. */
export const Line = memo(function Line<T>({
  id,
  index,
  row,
  visible,
  selected,
  select,
  measure,
}: LineProps<T>) {
  return (
    <tr
      data-index={index}
      aria-rowindex={index + 2}
      tabIndex={-1}
      data-selected={selected || undefined}
      ref={measure}
    >
      {select && (
        <td>
          <input
            type="checkbox"
            aria-label={`select ${id}`}
            checked={selected}
            onChange={(event) => select(id, event.target.checked)}
          />
        </td>
      )}
      {visible.map((one) => (
        <td key={one.id} className={cellClass(one)}>
          {one.cell(row)}
        </td>
      ))}
    </tr>
  );
}) as <T>(props: LineProps<T>) => React.ReactNode;

/** A narrow column keeps its words on one line; wider ones wrap. */
const MOST_TIGHT_PX = 200;

function cellClass<T>(one: Column<T>): string | undefined {
  const tight = one.width !== undefined && one.width <= MOST_TIGHT_PX;
  return (
    [one.number && "n", one.mono && "mono", tight && "tight", one.wide && "wide"].filter(Boolean).join(" ") ||
    undefined
  );
}

export function Spacer({ height, width }: { height: number; width: number }) {
  return (
    <tr aria-hidden>
      <td colSpan={width} style={{ height, padding: 0, border: 0 }} />
    </tr>
  );
}
