// Lists that come page by page as one scrolls.
import { infiniteQueryOptions, keepPreviousData, type QueryKey } from "@tanstack/react-query";

const PAGE_ROWS = 500;

/** What every page is asked with; `sort` as the API writes it, where the service sorts. */
export type PageAsked<Sort extends string> = { limit: number; sort?: Sort; cursor?: string };

/** `fetchPage` asks for one page of the list that `queryKey` and `sort` name. */
export function pagedOptions<Sort extends string, Page extends { next?: string | null }>(
  queryKey: QueryKey,
  sort: string | null,
  fetchPage: (asked: PageAsked<Sort>, signal: AbortSignal) => Promise<Page>,
) {
  return infiniteQueryOptions({
    queryKey: [...queryKey, sort],
    queryFn: ({ signal, pageParam }) =>
      fetchPage(
        {
          limit: PAGE_ROWS,
          ...(sort ? { sort: sort as Sort } : {}),
          ...(pageParam ? { cursor: pageParam } : {}),
        },
        signal,
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  });
}
