// Settings that can be changed while the service runs.
import { queryOptions } from "@tanstack/react-query";
import { api, need } from "../client";

export const settingsQuery = queryOptions({
  queryKey: ["settings"],
  queryFn: ({ signal }) => need(api.GET("/api/v1/settings", { signal })),
});
