// What changed and what differs.
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";
import { type PageAsked, pagedOptions } from "./paged";

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

/** Switches that were not read around an instant; lately, without one. */
export const unreadSwitchesQuery = (filter: { at?: string; switch?: string; group?: string }) =>
  queryOptions({
    queryKey: ["unread-switches", filter],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/unread-switches", { params: { query: { ...filter, ...paging } }, signal }),
      ),
  });

export const changesQuery = (filter: { switch?: string; until?: string; limit: number }) =>
  queryOptions({
    queryKey: ["changes", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/changes", { params: { query: { ...filter, uplinks: false } }, signal })),
  });

/** All changes, up to an instant if one is given, page by page. */
export const allChangesQuery = (until: string | undefined, sort: string | null) =>
  pagedOptions(["changes", "all", until], sort, (asked: PageAsked<"at" | "-at">, signal) =>
    need(
      api.GET("/api/v1/changes", {
        params: { query: { uplinks: false, ...(until ? { until } : {}), ...asked } },
        signal,
      }),
    ),
  );

/** Readings of a switch, or of all, latest first, page by page. */
export const readingsQuery = (name: string, sort: string | null) =>
  pagedOptions(["readings", name], sort, (asked: PageAsked<"taken_at" | "-taken_at">, signal) =>
    need(
      api.GET("/api/v1/readings", {
        params: { query: { ...(name ? { switch: name } : {}), ...asked } },
        signal,
      }),
    ),
  );

/** What came in each of the last hours. */
export const hoursQuery = (hours: number) =>
  queryOptions({
    queryKey: ["hours", hours],
    queryFn: ({ signal }) =>
      every((paging) => api.GET("/api/v1/hours", { params: { query: { hours, ...paging } }, signal })),
    refetchInterval: 60_000,
    placeholderData: keepPreviousData,
  });
