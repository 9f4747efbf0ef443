// Ports of a switch, one over time, its roll call.
import { queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";
import { asOf } from "./asOf";

export const portsQuery = (name: string, at?: string) =>
  queryOptions({
    queryKey: ["ports", name, at],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/switches/{name}/ports", {
          params: { path: { name }, query: { ...asOf(at), ...paging } },
          signal,
        }),
      ),
  });

export const addressCountsQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["ports", "address-counts", name, port],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/switches/{name}/ports/{port}/address-counts", {
          params: { query: paging, path: { name, port } },
          signal,
        }),
      ),
  });

/** Who is on a port, beside who may be. */
export const rollCallQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["stays", "roll-call", name, port],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/switches/{name}/ports/{port}/roll-call", {
          params: { path: { name, port } },
          signal,
        }),
      ),
  });

/** Link changes of a port in the last week. */
export const linkHistoryQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["ports", "link-history", name, port],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/switches/{name}/ports/{port}/link-history", {
          params: { query: paging, path: { name, port } },
          signal,
        }),
      ),
  });
