// Acting on ports: what is closed, what is proposed, what was done.
import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

export const closedPortsQuery = queryOptions({
  queryKey: ["acting", "closed"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/closed-ports", { signal })),
  refetchInterval: 5_000,
});

export const proposalsQuery = queryOptions({
  queryKey: ["acting", "proposals"],
  queryFn: ({ signal }) =>
    need(api.GET("/api/v1/proposals", { params: { query: { state: ["open"], limit: 200 } }, signal })),
  refetchInterval: 5_000,
});

export const actionsQuery = (filter: { switch?: string; port?: string }) =>
  infiniteQueryOptions({
    queryKey: ["acting", "actions", filter],
    queryFn: ({ signal, pageParam }) =>
      need(
        api.GET("/api/v1/actions", {
          params: { query: { ...filter, limit: 25, cursor: pageParam ?? null } },
          signal,
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    refetchInterval: 10_000,
  });
