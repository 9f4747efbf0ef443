// What the console asks, each with its key: one place for key and question together.
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, need } from "./client";

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/session", { signal })),
  staleTime: Number.POSITIVE_INFINITY,
});

export const healthQuery = queryOptions({
  queryKey: ["health"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/health", { signal })),
  refetchInterval: 15_000,
});

export const switchesQuery = queryOptions({
  queryKey: ["switches"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/switches", { params: { query: { limit: 1000 } }, signal })),
});

export const switchQuery = (name: string) =>
  queryOptions({
    queryKey: ["switch", name],
    queryFn: ({ signal }) => need(api.GET("/api/v1/switches/{name}", { params: { path: { name } }, signal })),
  });

export const portsQuery = (name: string) =>
  queryOptions({
    queryKey: ["ports", name],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/ports", { params: { path: { name } }, signal })),
  });

export const neighboursQuery = (name: string) =>
  queryOptions({
    queryKey: ["neighbours", name],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/neighbours", { params: { path: { name } }, signal })),
  });

/** Who is on the ports of a switch that do not lead to other switches. */
export const onSwitchQuery = (name: string) =>
  queryOptions({
    queryKey: ["stays", name],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/stays", {
          params: { query: { switch: name, uplinks: false, limit: 1000 } },
          signal,
        }),
      ),
  });

export const roundsQuery = queryOptions({
  queryKey: ["rounds"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/rounds", { signal })),
  refetchInterval: (query) => (query.state.data?.[0]?.state === "running" ? 700 : false),
});

export const findQuery = (text: string) =>
  queryOptions({
    queryKey: ["find", text],
    queryFn: ({ signal }) => need(api.GET("/api/v1/find", { params: { query: { q: text } }, signal })),
    enabled: text !== "",
    placeholderData: keepPreviousData,
  });

export const changesQuery = (filter: { switch?: string; limit: number }) =>
  queryOptions({
    queryKey: ["changes", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/changes", { params: { query: { ...filter, uplinks: false } }, signal })),
  });
