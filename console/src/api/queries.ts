// What the console asks, each with its key: one place for key and question together.
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, need } from "./client";

/** Of now, without an instant. */
const asOf = (at?: string) => (at ? { at } : {});

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

export const portsQuery = (name: string, at?: string) =>
  queryOptions({
    queryKey: ["ports", name, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/ports", { params: { path: { name }, query: asOf(at) }, signal })),
  });

export const neighboursQuery = (name: string) =>
  queryOptions({
    queryKey: ["neighbours", name],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/neighbours", { params: { path: { name } }, signal })),
  });

/** Who is on the ports of a switch that do not lead to other switches. */
export const onSwitchQuery = (name: string, at?: string) =>
  queryOptions({
    queryKey: ["stays", name, at],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/stays", {
          params: { query: { switch: name, ...asOf(at), uplinks: false, limit: 1000 } },
          signal,
        }),
      ),
  });

export type FindingState = "open" | "acknowledged" | "cleared";

export const findingsQuery = (filter: {
  state?: FindingState[];
  switch?: string;
  mac?: string;
  parts?: boolean;
  limit?: number;
}) =>
  queryOptions({
    queryKey: ["findings", filter],
    queryFn: ({ signal }) => need(api.GET("/api/v1/findings", { params: { query: filter }, signal })),
  });

export const findingQuery = (number: number) =>
  queryOptions({
    queryKey: ["findings", "one", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/findings/{number}", { params: { path: { number } }, signal })),
  });

export const partsQuery = (number: number) =>
  queryOptions({
    queryKey: ["findings", "parts", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/findings/{number}/parts", { params: { path: { number } }, signal })),
  });

export const kindQuery = (kind: string) =>
  queryOptions({
    queryKey: ["kind", kind],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/finding-kinds/{kind}", { params: { path: { kind } }, signal })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const endpointQuery = (mac: string, at?: string) =>
  queryOptions({
    queryKey: ["find", "endpoint", mac, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}", { params: { path: { mac }, query: asOf(at) }, signal })),
  });

export const wayQuery = (mac: string, at?: string) =>
  queryOptions({
    queryKey: ["find", "way", mac, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}/way", { params: { path: { mac }, query: asOf(at) }, signal })),
  });

export const ipsQuery = (mac: string) =>
  queryOptions({
    queryKey: ["find", "ips", mac],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}/ips", { params: { path: { mac } }, signal })),
  });

/** Stays of an endpoint, ended ones too, latest begun first. */
export const historyQuery = (mac: string) =>
  queryOptions({
    queryKey: ["stays", "history", mac],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/stays", { params: { query: { mac, ended: true, limit: 500 } }, signal })),
  });

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

export const crowdQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["ports", "crowd", name, port],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/crowds/{port}", { params: { path: { name, port } }, signal })),
  });

/** What is said of ports, by group, switch and port. */
export const rulesQuery = queryOptions({
  queryKey: ["rules"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/rules", { signal })),
});

/** Who is on a port, beside who may be. */
export const rollCallQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["stays", "rollcall", name, port],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/rollcall/{port}", { params: { path: { name, port } }, signal })),
  });

/** When an endpoint was not heard where it was, in the last month. */
export const quietQuery = (mac: string) =>
  queryOptions({
    queryKey: ["endpoints", "quiet", mac],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}/quiet", { params: { path: { mac } }, signal })),
  });

/** What became of the link of a port in the last week. */
export const linksQuery = (name: string, port: string) =>
  queryOptions({
    queryKey: ["ports", "links", name, port],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/switches/{name}/links/{port}", { params: { path: { name, port } }, signal })),
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

export const comparisonQuery = (filter: { since: string; until?: string; switch?: string; group?: string }) =>
  queryOptions({
    queryKey: ["comparison", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/comparison", { params: { query: { ...filter, limit: 1000 } }, signal })),
  });

export const roundsQuery = queryOptions({
  queryKey: ["rounds"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/rounds", { signal })),
  refetchInterval: (query) => (query.state.data?.[0]?.state === "running" ? 700 : false),
});

export const findQuery = (text: string, at?: string) =>
  queryOptions({
    queryKey: ["find", text, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/find", { params: { query: { q: text, ...asOf(at) } }, signal })),
    enabled: text !== "",
    placeholderData: keepPreviousData,
  });

export const changesQuery = (filter: { switch?: string; until?: string; limit: number }) =>
  queryOptions({
    queryKey: ["changes", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/changes", { params: { query: { ...filter, uplinks: false } }, signal })),
  });
