// Telling people: targets, routes, planned work, and what was sent.
import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, every, need, type Schemas } from "../client";

export type AlertState = Schemas["Alert"]["state"];

export const targetsQuery = queryOptions({
  queryKey: ["alerts", "targets"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/alert-targets", { params: { query: paging }, signal })),
  refetchInterval: 10_000,
});

export const routesQuery = queryOptions({
  queryKey: ["alerts", "routes"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/alert-routes", { params: { query: paging }, signal })),
});

export const plannedWorkQuery = queryOptions({
  queryKey: ["alerts", "planned-work"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/planned-work", { params: { query: paging }, signal })),
  refetchInterval: 60_000,
});

export const messagesQuery = (filter: { state: AlertState[]; finding: number | null }) =>
  infiniteQueryOptions({
    queryKey: ["alerts", "messages", filter],
    queryFn: ({ signal, pageParam }) =>
      need(
        api.GET("/api/v1/alerts", {
          params: { query: { ...filter, limit: 50, cursor: pageParam ?? null } },
          signal,
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    refetchInterval: 10_000,
  });
