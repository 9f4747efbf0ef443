// What a table needs of a list that comes page by page.
import type { InfiniteData, UseInfiniteQueryResult } from "@tanstack/react-query";
import { type Column, sortOf } from "./model";
import type { More } from "./Rows";

export type Paged<T> = UseInfiniteQueryResult<InfiniteData<{ items: T[]; next?: string | null }>, Error>;

/** The rest of the list; undefined once all of it is here, when the table itself sorts. */
export function moreOf<T>(found: Paged<T>, total?: number): More | undefined {
  if (!found.hasNextPage && (found.data?.pages.length ?? 0) < 2) return undefined;
  return {
    has: found.hasNextPage,
    loading: found.isFetchingNextPage,
    load: () => void found.fetchNextPage(),
    total,
  };
}

export const rowsOf = <T>(data: Paged<T>["data"]): T[] => data?.pages.flatMap((page) => page.items) ?? [];

/** The sort that the service is asked for; null where it cannot sort by that. */
export function serverSort<T>(sort: string | null, columns: Column<T>[]): string | null {
  const wanted = sortOf(sort);
  return wanted && columns.some((one) => one.sortBy === wanted.id) ? sort : null;
}
