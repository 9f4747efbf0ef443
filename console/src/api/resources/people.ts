// People: accounts, tokens, open sessions, the audit log.
import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, every, need } from "../client";

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
  infiniteQueryOptions({
    queryKey: ["audit", filter],
    queryFn: ({ signal, pageParam }) =>
      need(
        api.GET("/api/v1/audit-log", {
          params: { query: { ...filter, limit: 100, cursor: pageParam ?? null } },
          signal,
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
  });
