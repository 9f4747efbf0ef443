// What a list is shown by: which columns, in which order, sorted how. Kept in the URL. Without rendering.

/** One column of a list. */
export type Column<T> = {
  id: string;
  header: string;
  cell: (row: T) => React.ReactNode;
  /** What is copied, filtered and sorted by; a column without it is not. */
  text?: (row: T) => string | number;
  /** Its name in `sort` of the API, for lists that the service sorts. */
  sortBy?: string;
  /** Pixels; a list of many rows keeps its columns where they are. */
  width?: number;
  number?: boolean;
  mono?: boolean;
  /** Not shown until it is chosen. */
  extra?: boolean;
  /** Left out on a phone. */
  wide?: boolean;
};

export type Sort = { id: string; descending: boolean };

/** `seen_at` or `-seen_at`, as the API writes it. */
export function sortOf(text: string | null): Sort | null {
  if (!text) return null;
  return text.startsWith("-") ? { id: text.slice(1), descending: true } : { id: text, descending: false };
}

export const sortText = (sort: Sort | null) => (sort ? `${sort.descending ? "-" : ""}${sort.id}` : "");

/** Ascending, descending, as it comes. */
export function nextSort(now: Sort | null, id: string): Sort | null {
  if (now?.id !== id) return { id, descending: false };
  return now.descending ? null : { id, descending: true };
}

/** Ids of the columns shown, in order: those chosen that there are, or the usual ones. */
export function shownColumns<T>(columns: Column<T>[], chosen: string | null): string[] {
  const known = new Set(columns.map((one) => one.id));
  const wanted = (chosen ?? "").split(",").filter((id) => known.has(id));
  return wanted.length > 0 ? wanted : columns.filter((one) => !one.extra).map((one) => one.id);
}

/** What `columns` in the URL is; "" for the usual ones. */
export function columnsText<T>(columns: Column<T>[], shown: string[]): string {
  const usual = shownColumns(columns, null).join(",");
  return shown.join(",") === usual ? "" : shown.join(",");
}

/** A column one place to the left or right. */
export function moved(shown: string[], id: string, by: -1 | 1): string[] {
  const at = shown.indexOf(id);
  const other = shown[at + by];
  if (at < 0 || other === undefined) return shown;
  const next = [...shown];
  next[at] = other;
  next[at + by] = id;
  return next;
}

/** Rows that have every word in one of the columns shown; `site:quay` looks at that column alone. Quotes hold words
 * together, and `site:"Pier 1"` is that site and not Pier 10. */
export function narrowed<T>(rows: T[], columns: Column<T>[], text: string): T[] {
  const wanted = [...text.toLowerCase().matchAll(WORD)].map(([all, name, quoted, closed, word]) => {
    const column = columns.find((one) => one.id === name || one.header.toLowerCase() === name);
    if (name && !column) return { of: columns, word: all.replaceAll('"', ""), whole: false };
    return { of: column ? [column] : columns, word: quoted ?? word ?? "", whole: Boolean(column && closed) };
  });
  if (wanted.length === 0) return rows;
  const has = (row: T, of: Column<T>[], word: string, whole: boolean) =>
    of.some((one) => {
      const cell = String(one.text?.(row) ?? "").toLowerCase();
      return whole ? cell === word : cell.includes(word);
    });
  return rows.filter((row) => wanted.every(({ of, word, whole }) => has(row, of, word, whole)));
}

const WORD = /(?:([a-z_]+):(?=\S))?(?:"([^"]*)("?)|(\S+))/g;

const collator = new Intl.Collator(undefined, { numeric: true });

/** Numbers by size, texts as people count: p2 before p10. Empty ones come last either way. */
export function sorted<T>(rows: T[], column: Column<T> | undefined, descending: boolean): T[] {
  const text = column?.text;
  if (!text) return rows;
  const sign = descending ? -1 : 1;
  return [...rows].sort((a, b) => {
    const x = text(a);
    const y = text(b);
    if (x === "" || y === "") return Number(x === "") - Number(y === "");
    if (typeof x === "number" && typeof y === "number") return sign * (x - y);
    return sign * collator.compare(String(x), String(y));
  });
}

/** Rows with tabs between, as spreadsheets paste them. */
export function asTabs<T>(rows: T[], columns: Column<T>[]): string {
  const cell = (value: string | number) => String(value).replace(/[\t\n\r]+/g, " ");
  const lines = rows.map((row) => columns.map((one) => cell(one.text?.(row) ?? "")).join("\t"));
  return [columns.map((one) => one.header).join("\t"), ...lines].join("\n");
}

/** "12 rows", "3 of 12 rows", "the first 500 of 1,204", "the first 500; there are more". */
export function countText(shown: number, all: number, more: boolean, total: number | undefined): string {
  const number = (value: number) => value.toLocaleString();
  const rows = shown === 1 ? "row" : "rows";
  if (more) {
    if (shown < all) return `${number(shown)} ${rows} among the first ${number(all)}`;
    const known = total !== undefined && total > all;
    return `the first ${number(all)}${known ? ` of ${number(total)}` : "; there are more"}`;
  }
  return shown < all ? `${number(shown)} of ${number(all)} rows` : `${number(shown)} ${rows}`;
}
