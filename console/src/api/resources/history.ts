// What changed and what differs.
import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";

export const differencesQuery = (filter: {
  since: string;
  until?: string;
  switch?: string;
  group?: string;
}) =>
  queryOptions({
    queryKey: ["differences", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/differences", { params: { query: { ...filter, limit: 1000 } }, signal })),
  });

export const changesQuery = (filter: { switch?: string; until?: string; limit: number }) =>
  queryOptions({
    queryKey: ["changes", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/changes", { params: { query: { ...filter, uplinks: false } }, signal })),
  });

const PAGE_ROWS = 500;

/** All changes, up to an instant if one is given, page by page. */
export const allChangesQuery = (until: string | undefined, sort: string | null) =>
  infiniteQueryOptions({
    queryKey: ["changes", "all", until, sort],
    queryFn: ({ signal, pageParam }) =>
      need(
        api.GET("/api/v1/changes", {
          params: {
            query: {
              limit: PAGE_ROWS,
              uplinks: false,
              ...(until ? { until } : {}),
              ...(sort ? { sort: sort as "at" | "-at" } : {}),
              ...(pageParam ? { cursor: pageParam } : {}),
            },
          },
          signal,
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  });

/** Readings of a switch, or of all, latest first, page by page. */
export const readingsQuery = (name: string, sort: string | null) =>
  infiniteQueryOptions({
    queryKey: ["readings", name, sort],
    queryFn: ({ signal, pageParam }) =>
      need(
        api.GET("/api/v1/readings", {
          params: {
            query: {
              limit: PAGE_ROWS,
              ...(name ? { switch: name } : {}),
              ...(sort ? { sort: sort as "taken_at" | "-taken_at" } : {}),
              ...(pageParam ? { cursor: pageParam } : {}),
            },
          },
          signal,
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
  });

/** What came in each of the last hours. */
export const hoursQuery = (hours: number) =>
  queryOptions({
    queryKey: ["hours", hours],
    queryFn: ({ signal }) =>
      every((paging) => api.GET("/api/v1/hours", { params: { query: { hours, ...paging } }, signal })),
    refetchInterval: 60_000,
    placeholderData: keepPreviousData,
  });
