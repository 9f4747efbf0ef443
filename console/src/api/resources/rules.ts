// Rules of ports, who is barred, windows with their candidates, roll calls and rehearsals.
import { queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

export interface LevelFilter {
  group?: string;
  switch?: string;
  ports?: string;
}

/** Rules of all levels, wide ones first. */
export const rulesQuery = queryOptions({
  queryKey: ["rules"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/rules", { signal })),
});

/** Ports with their rules and how many are there, and the sums over all. */
export const rollCallsQuery = (
  filter: LevelFilter & { broken?: boolean; without_rule?: boolean; limit?: number },
) =>
  queryOptions({
    queryKey: ["roll-call", filter],
    queryFn: ({ signal }) => need(api.GET("/api/v1/roll-call", { params: { query: filter }, signal })),
  });

/** Who is enrolled and present nowhere where they may be. */
export const absentQuery = (filter: LevelFilter) =>
  queryOptions({
    queryKey: ["roll-call", "absent", filter],
    queryFn: ({ signal }) => need(api.GET("/api/v1/roll-call/absent", { params: { query: filter }, signal })),
  });

/** Where an endpoint may be, by every roll. */
export const enrolmentQuery = (mac: string) =>
  queryOptions({
    queryKey: ["rules", "of", mac],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}/enrolment", { params: { path: { mac } }, signal })),
  });

export const barredQuery = queryOptions({
  queryKey: ["rules", "barred"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/barred", { signal })),
});

export const ruleLogQuery = queryOptions({
  queryKey: ["rules", "log"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/rules/log", { params: { query: { limit: 200 } }, signal })),
});

export const windowsQuery = queryOptions({
  queryKey: ["rules", "windows"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/enrolment-windows", { signal })),
});

export const candidatesQuery = (number: number) =>
  queryOptions({
    queryKey: ["rules", "candidates", number],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/enrolment-windows/{number}/candidates", { params: { path: { number } }, signal }),
      ),
  });

export const rehearsalsQuery = queryOptions({
  queryKey: ["rehearsals"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/rehearsals", { signal })),
});

/** Asked again while it runs. */
export const rehearsalQuery = (number: number) =>
  queryOptions({
    queryKey: ["rehearsals", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/rehearsals/{number}", { params: { path: { number } }, signal })),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 500 : false),
  });
