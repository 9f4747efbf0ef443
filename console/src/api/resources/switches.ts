// Switches, their neighbours, and rounds.
import { queryOptions } from "@tanstack/react-query";
import { api, every, need, whole } from "../client";

export const switchesQuery = queryOptions({
  queryKey: ["switches"],
  queryFn: ({ signal }) =>
    whole((paging) => api.GET("/api/v1/switches", { params: { query: paging }, signal })),
});

export const switchQuery = (name: string) =>
  queryOptions({
    queryKey: ["switch", name],
    queryFn: ({ signal }) => need(api.GET("/api/v1/switches/{name}", { params: { path: { name } }, signal })),
  });

export const neighboursQuery = (name: string) =>
  queryOptions({
    queryKey: ["neighbours", name],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/switches/{name}/neighbours", { params: { query: paging, path: { name } }, signal }),
      ),
  });

export const roundsQuery = queryOptions({
  queryKey: ["rounds"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/rounds", { params: { query: paging }, signal })),
  refetchInterval: (query) => (query.state.data?.[0]?.state === "running" ? 700 : false),
});

export const switchVlansQuery = (name: string) =>
  queryOptions({
    queryKey: ["ports", "vlans", name],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/switches/{name}/vlans", { params: { query: paging, path: { name } }, signal }),
      ),
  });
