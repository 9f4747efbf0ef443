// Endpoints: searched, one of them, the path to it.
import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import type { EndpointFilter } from "../../endpoints/words";
import { api, every, need } from "../client";
import type { operations } from "../schema.gen";
import { asOf } from "./asOf";

export const endpointQuery = (mac: string, at?: string) =>
  queryOptions({
    queryKey: ["search", "endpoint", mac, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/endpoints/{mac}", { params: { path: { mac }, query: asOf(at) }, signal })),
  });

export const pathQuery = (mac: string, at?: string) =>
  queryOptions({
    queryKey: ["search", "path", mac, at],
    queryFn: ({ signal }) =>
      need(
        api.GET("/api/v1/endpoints/{mac}/path", { params: { path: { mac }, query: asOf(at) }, signal }),
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

export const searchQuery = (text: string, at?: string) =>
  queryOptions({
    queryKey: ["search", text, at],
    queryFn: ({ signal }) =>
      need(api.GET("/api/v1/search", { params: { query: { q: text, ...asOf(at) } }, signal })),
    enabled: text !== "",
    placeholderData: keepPreviousData,
  });

const PAGE_ROWS = 500;
type EndpointSort = NonNullable<NonNullable<operations["list_endpoints"]["parameters"]["query"]>["sort"]>;

/** All endpoints that fit, page by page; `sort` as the API writes it. */
export const endpointsQuery = (filter: EndpointFilter, sort: string | null) =>
  infiniteQueryOptions({
    queryKey: ["endpoints", "list", filter, sort],
    queryFn: ({ signal, pageParam }) =>
      need(
        api.GET("/api/v1/endpoints", {
          params: {
            query: {
              ...filter,
              limit: PAGE_ROWS,
              ...(sort ? { sort: sort as EndpointSort } : {}),
              ...(pageParam ? { cursor: pageParam } : {}),
            },
          },
          signal,
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
    structuralSharing: false,
  });
