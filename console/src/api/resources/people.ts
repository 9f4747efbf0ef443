// People: accounts, tokens, open sessions, the audit log.
import { queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";
import { type PageAsked, pagedOptions } from "./paged";

export const usersQuery = queryOptions({
  queryKey: ["people", "users"],
  queryFn: ({ signal }) => every((paging) => api.GET("/api/v1/users", { params: { query: paging }, signal })),
});

export const tokensQuery = queryOptions({
  queryKey: ["people", "tokens"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/tokens", { params: { query: paging }, signal })),
});

export const sessionsQuery = queryOptions({
  queryKey: ["people", "sessions"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/sessions", { params: { query: paging }, signal })),
});

export const auditQuery = (filter: { by: string | null; action: string | null; q: string | null }) =>
  pagedOptions(["audit", filter], null, (asked: PageAsked<never>, signal) =>
    need(api.GET("/api/v1/audit-log", { params: { query: { ...filter, ...asked } }, signal })),
  );
