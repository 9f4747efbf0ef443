// The map and VLANs.
import { queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";

export const mapQuery = queryOptions({
  queryKey: ["switches", "map"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/map", { signal })),
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
