// Rules of ports, who is barred, windows with their candidates, roll calls and rehearsals.
import { queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";
import { type PageAsked, pagedOptions } from "./paged";

export interface LevelFilter {
  group?: string;
  switch?: string;
  ports?: string;
}

/** Rules of all levels, wide ones first. */
export const rulesQuery = queryOptions({
  queryKey: ["rules"],
  queryFn: ({ signal }) => every((paging) => api.GET("/api/v1/rules", { params: { query: paging }, signal })),
});

type CalledPorts = LevelFilter & { broken?: boolean; without_rule?: boolean; limit?: number };

const rollCallPage = (filter: CalledPorts & { cursor?: string }, signal: AbortSignal) =>
  need(api.GET("/api/v1/roll-call", { params: { query: filter }, signal }));

/** Ports with their rules and how many are there, and the sums over all: one page. */
export const rollCallsQuery = (filter: CalledPorts) =>
  queryOptions({
    queryKey: ["roll-call", filter],
    queryFn: ({ signal }) => rollCallPage(filter, signal),
  });

/** The same, page by page. */
export const rollCallPagesQuery = (filter: CalledPorts) =>
  pagedOptions(["roll-call", "pages", filter], null, (asked: PageAsked<never>, signal) =>
    rollCallPage({ ...filter, ...asked }, signal),
  );

/** Who is enrolled and present nowhere where they may be. */
export const absentQuery = (filter: LevelFilter) =>
  queryOptions({
    queryKey: ["roll-call", "absent", filter],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/roll-call/absent", { params: { query: { ...filter, ...paging } }, signal }),
      ),
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
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/barred", { params: { query: paging }, signal })),
});

export const ruleLogQuery = pagedOptions(["rules", "log"], null, (asked: PageAsked<never>, signal) =>
  need(api.GET("/api/v1/rules/log", { params: { query: asked }, signal })),
);

export const windowsQuery = queryOptions({
  queryKey: ["rules", "windows"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/enrolment-windows", { params: { query: paging }, signal })),
});

export const candidatesQuery = (number: number) =>
  queryOptions({
    queryKey: ["rules", "candidates", number],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/enrolment-windows/{number}/candidates", {
          params: { query: paging, path: { number } },
          signal,
        }),
      ),
  });

export const rehearsalsQuery = queryOptions({
  queryKey: ["rehearsals"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/rehearsals", { params: { query: paging }, signal })),
});

/** Asked again while it runs. */
export const rehearsalQuery = (number: number) =>
  queryOptions({
    queryKey: ["rehearsals", number],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/rehearsals/{number}", { params: { path: { number } }, signal })),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 500 : false),
  });
