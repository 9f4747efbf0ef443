// The map and VLANs.
import { queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";
import { asOf } from "./asOf";

export const mapQuery = (at?: string) =>
  queryOptions({
    queryKey: ["switches", "map", at],
    queryFn: ({ signal }) => need(api.GET("/api/v1/map", { params: { query: asOf(at) }, signal })),
  });

export const vlansQuery = queryOptions({
  queryKey: ["switches", "vlans"],
  queryFn: ({ signal }) => every((paging) => api.GET("/api/v1/vlans", { params: { query: paging }, signal })),
});

export const vlanPortsQuery = (number: number) =>
  queryOptions({
    queryKey: ["ports", "vlan", number],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/vlans/{number}/ports", { params: { query: paging, path: { number } }, signal }),
      ),
  });
