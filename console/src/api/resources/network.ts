// The map and VLANs.
import { queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

export const mapQuery = queryOptions({
  queryKey: ["switches", "map"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/map", { signal })),
});

export const vlansQuery = queryOptions({
  queryKey: ["switches", "vlans"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/vlans", { signal })),
});

export const vlanPortsQuery = (number: number) =>
  queryOptions({
    queryKey: ["ports", "vlan", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/vlans/{number}/ports", { params: { path: { number } }, signal })),
  });
