// Findings and what their kinds mean.
import { queryOptions } from "@tanstack/react-query";
import { api, type Finding, need } from "../client";
import { type PageAsked, pagedOptions } from "./paged";

export type FindingState = "open" | "acknowledged" | "cleared";
export type Severity = "note" | "warning" | "serious";
type SortField = "severity" | "last_at" | "opened_at" | "kind";
type FindingSort = SortField | `-${SortField}`;

/** How often the service looks at how things are: that something goes on is no event. Of the past nothing is new. */
const LOOKED_EVERY_MS = 10_000;
const lookedAgain = (at?: string) => ({
  refetchInterval: at === undefined ? LOOKED_EVERY_MS : (false as const),
});

export const findingsQuery = (filter: {
  state?: FindingState[];
  switch?: string;
  mac?: string;
  at?: string;
  parts?: boolean;
  sort?: FindingSort;
  limit?: number;
}) =>
  queryOptions({
    queryKey: ["findings", filter],
    queryFn: ({ signal }) => need(api.GET("/api/v1/findings", { params: { query: filter }, signal })),
    ...lookedAgain(filter.at),
  });

export const findingQuery = (number: number) =>
  queryOptions({
    queryKey: ["findings", "one", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/findings/{number}", { params: { path: { number } }, signal })),
    ...lookedAgain(),
  });

export const partsQuery = (number: number) =>
  queryOptions({
    queryKey: ["findings", "parts", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/findings/{number}/parts", { params: { path: { number } }, signal })),
    ...lookedAgain(),
  });

/** All kinds there are, with their help. */
export const kindsQuery = queryOptions({
  queryKey: ["kinds"],
  queryFn: ({ signal }) =>
    need(api.GET("/api/v1/finding-kinds", { params: { query: { limit: 1000 } }, signal })),
  staleTime: Number.POSITIVE_INFINITY,
});

export const kindQuery = (kind: string) =>
  queryOptions({
    queryKey: ["kind", kind],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/finding-kinds/{kind}", { params: { path: { kind } }, signal })),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** All findings that fit, page by page. */
export const allFindingsQuery = (
  filter: {
    state?: FindingState[];
    kind?: Finding["kind"][];
    severity?: Severity[];
    parts?: boolean;
    at?: string;
  },
  sort: string | null,
) => ({
  ...pagedOptions(["findings", "all", filter], sort, (asked: PageAsked<FindingSort>, signal) =>
    need(api.GET("/api/v1/findings", { params: { query: { ...filter, ...asked } }, signal })),
  ),
  ...lookedAgain(filter.at),
});
