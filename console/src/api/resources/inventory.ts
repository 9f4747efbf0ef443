// What is kept about switches: credentials, sites, groups, mappings, shared addresses, links, makers.
import { queryOptions } from "@tanstack/react-query";
import { api, every } from "../client";

export const credentialsQuery = queryOptions({
  queryKey: ["inventory", "credentials"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/credentials", { params: { query: paging }, signal })),
});

export const areasQuery = queryOptions({
  queryKey: ["inventory", "areas"],
  queryFn: ({ signal }) => every((paging) => api.GET("/api/v1/areas", { params: { query: paging }, signal })),
});

export const sitesQuery = queryOptions({
  queryKey: ["inventory", "sites"],
  queryFn: ({ signal }) => every((paging) => api.GET("/api/v1/sites", { params: { query: paging }, signal })),
});

export const groupsQuery = queryOptions({
  queryKey: ["inventory", "groups"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/groups", { params: { query: paging }, signal })),
});

export const mappingsQuery = queryOptions({
  queryKey: ["inventory", "mappings"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/mappings", { params: { query: paging }, signal })),
});

export const sharedAddressesQuery = queryOptions({
  queryKey: ["inventory", "shared-addresses"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/shared-addresses", { params: { query: paging }, signal })),
});

export const makersQuery = queryOptions({
  queryKey: ["inventory", "makers"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/makers", { params: { query: paging }, signal })),
});

export const deviceLinksQuery = queryOptions({
  queryKey: ["links", "templates"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/device-links", { params: { query: paging }, signal })),
});

export const discoveredQuery = queryOptions({
  queryKey: ["switches", "discovered"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/discovered-switches", { params: { query: paging }, signal })),
});

/** Asked for every few seconds: they say all the time how they are. */
export const collectorsQuery = queryOptions({
  queryKey: ["collectors"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/collectors", { params: { query: paging }, signal })),
  refetchInterval: 5_000,
});

export const collectedSitesQuery = queryOptions({
  queryKey: ["collectors", "sites"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/collected-sites", { params: { query: paging }, signal })),
  refetchInterval: 5_000,
});
