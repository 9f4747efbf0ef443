// People: accounts, tokens, open sessions, the audit log.
import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

export const usersQuery = queryOptions({
  queryKey: ["people", "users"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/users", { signal })),
});

export const tokensQuery = queryOptions({
  queryKey: ["people", "tokens"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/tokens", { signal })),
});

export const sessionsQuery = queryOptions({
  queryKey: ["people", "sessions"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/sessions", { signal })),
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
