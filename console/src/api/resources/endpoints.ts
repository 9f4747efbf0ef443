// Endpoints: searched, one of them, the path to it.
import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import type { EndpointFilter } from "../../endpoints/words";
import { api, every, need } from "../client";
import type { operations } from "../schema.gen";
import { asOf } from "./asOf";
import { type PageAsked, pagedOptions } from "./paged";

export const endpointQuery = (mac: string, at?: string) =>
  queryOptions({
    queryKey: ["search", "endpoint", mac, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}", { params: { path: { mac }, query: asOf(at) }, signal })),
  });

/** `from`: a switch, or what one endpoint is found by; empty: the switch furthest away. */
export const pathQuery = (mac: string, at?: string, from = "") =>
  queryOptions({
    queryKey: ["search", "path", mac, at, from],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/endpoints/{mac}/path", {
          params: { path: { mac }, query: { ...asOf(at), ...(from && { start: from }) } },
          signal,
        }),
      ).then((path) => path.items),
  });

export const ipsQuery = (mac: string) =>
  queryOptions({
    queryKey: ["search", "ips", mac],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/endpoints/{mac}/ips", { params: { query: paging, path: { mac } }, signal }),
      ),
  });

/** Where an endpoint was at home, in the last month. */
export const homesQuery = (mac: string) =>
  queryOptions({
    queryKey: ["endpoints", "homes", mac],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/endpoints/{mac}/homes", { params: { query: paging, path: { mac } }, signal }),
      ),
  });

/** When an endpoint was missing where it was, in the last month. */
export const quietTimesQuery = (mac: string) =>
  queryOptions({
    queryKey: ["endpoints", "quiet", mac],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/endpoints/{mac}/quiet-times", { params: { query: paging, path: { mac } }, signal }),
      ),
  });

/** When its access switches were read too seldom to know that it was there, in the last month. */
export const readingPausesQuery = (mac: string) =>
  queryOptions({
    queryKey: ["endpoints", "reading-pauses", mac],
    queryFn: ({ signal }) =>
      every((paging) =>
        api.GET("/api/v1/endpoints/{mac}/reading-pauses", {
          params: { query: { ...paging, uplinks: false }, path: { mac } },
          signal,
        }),
      ),
  });

export const searchQuery = (text: string, at?: string) =>
  queryOptions({
    queryKey: ["search", text, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/search", { params: { query: { q: text, ...asOf(at) } }, signal })),
    enabled: text !== "",
    placeholderData: keepPreviousData,
  });

type EndpointSort = NonNullable<NonNullable<operations["list_endpoints"]["parameters"]["query"]>["sort"]>;

/** All endpoints that fit, page by page. */
export const endpointsQuery = (filter: EndpointFilter, sort: string | null) => ({
  ...pagedOptions(["endpoints", "list", filter], sort, (asked: PageAsked<EndpointSort>, signal) =>
    need(api.GET("/api/v1/endpoints", { params: { query: { ...filter, ...asked } }, signal })),
  ),
  // Half a million rows are not compared one by one.
  structuralSharing: false,
});
