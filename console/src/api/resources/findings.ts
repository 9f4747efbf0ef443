// Findings and what their kinds mean.
import { queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

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
