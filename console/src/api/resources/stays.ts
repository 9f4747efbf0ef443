// Who is and was at a switch, port or VLAN.
import { queryOptions } from "@tanstack/react-query";
import { api, need, whole } from "../client";
import { asOf } from "./asOf";

/** Who is on the ports of a switch that do not lead to other switches. */
export const onSwitchQuery = (name: string, at?: string) =>
  queryOptions({
    queryKey: ["stays", name, at],
    queryFn: ({ signal }) =>
      whole((paging) =>
        api.GET("/api/v1/stays", {
          params: { query: { switch: name, ...asOf(at), uplinks: false, ...paging } },
          signal,
        }),
      ),
  });

/** Stays of an endpoint, ended ones too, latest begun first. */
export const historyQuery = (mac: string) =>
  queryOptions({
    queryKey: ["stays", "history", mac],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/stays", { params: { query: { mac, ended: true, limit: 500 } }, signal })),
  });

export const inVlanQuery = (vlan: number, at?: string) =>
  queryOptions({
    queryKey: ["stays", "vlan", vlan, at],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/stays", {
          params: { query: { vlan, ...asOf(at), uplinks: false, limit: 1000 } },
          signal,
        }),
      ),
  });

/** Who was on a port, ended stays too, latest begun first. */
export const portHistoryQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["stays", "port", name, port],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/stays", {
          params: { query: { switch: name, port, ended: true, limit: 50 } },
          signal,
        }),
      ),
  });
