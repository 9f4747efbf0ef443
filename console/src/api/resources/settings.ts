// Settings that can be changed while the service runs.
import { queryOptions } from "@tanstack/react-query";
import { api, every } from "../client";

export const settingsQuery = queryOptions({
  queryKey: ["settings"],
  queryFn: ({ signal }) =>
    every((paging) => api.GET("/api/v1/settings", { params: { query: paging }, signal })),
});
