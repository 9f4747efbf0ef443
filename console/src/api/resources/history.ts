// What changed and what differs.
import { queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

export const differencesQuery = (filter: {
  since: string;
  until?: string;
  switch?: string;
  group?: string;
}) =>
  queryOptions({
    queryKey: ["differences", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/differences", { params: { query: { ...filter, limit: 1000 } }, signal })),
  });

export const changesQuery = (filter: { switch?: string; until?: string; limit: number }) =>
  queryOptions({
    queryKey: ["changes", filter],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/changes", { params: { query: { ...filter, uplinks: false } }, signal })),
  });
