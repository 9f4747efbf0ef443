// Links to devices, and queries that people keep.
import { queryOptions } from "@tanstack/react-query";
import { api, every } from "../client";

export const switchLinksQuery = (name: string) =>
  queryOptions({
    queryKey: ["links", "switch", name],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/switches/{name}/links", { params: { path: { name }, query: paging }, signal }),
      ),
  });

export const endpointLinksQuery = (mac: string) =>
  queryOptions({
    queryKey: ["links", "endpoint", mac],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/endpoints/{mac}/links", { params: { path: { mac }, query: paging }, signal }),
      ),
  });

export const savedQueriesQuery = queryOptions({
  queryKey: ["saved-queries"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/saved-queries", { params: { query: paging }, signal })),
});
