// The session and the service's own health.
import { queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

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
