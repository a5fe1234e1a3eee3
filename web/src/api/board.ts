import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { narrowing, type BoardFilter } from "../lib/address";
import { api, take } from "./client";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

/** The part of a filter that says which products and in which order, for questions about all of them. */
export const filterQuery = (viewpoint: Viewpoint, f: BoardFilter) => ({
  ...viewpointQuery(viewpoint),
  ...Object.fromEntries(narrowing.map((key) => [key, f[key]])),
  against: f.against,
  sort: f.sort,
  desc: f.desc,
});

/** Rows of a board; the server sorts, filters and pages. */
export const boardQuery = (viewpoint: Viewpoint, filter: BoardFilter, start: number, limit: number) =>
  queryOptions({
    queryKey: ["book", "board", viewpoint, filter, start, limit],
    queryFn: ({ signal }) =>
      take(
        api.GET("/api/board", {
          params: {
            query: {
              ...filterQuery(viewpoint, filter),
              spread: filter.spread,
              start,
              limit,
            },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: 1,
  });

/** The first products that some words find in a channel. */
/** The address of a file made of what a board shows. */
export function boardFile(path: string, viewpoint: Viewpoint, filter: BoardFilter, how: Record<string, string>) {
  const q = new URLSearchParams();
  for (const [key, value] of Object.entries({ ...viewpointQuery(viewpoint), ...filter, ...how }))
    if (Array.isArray(value)) q.set(key, value.join(","));
    else if (value !== "" && value !== false) q.set(key, String(value));
  return path + "?" + q.toString();
}

export const findQuery = (words: string, channel: string, limit: number) =>
  queryOptions({
    queryKey: ["book", "find", words, channel, limit],
    queryFn: () => take(api.GET("/api/board", { params: { query: { q: words, limit, channel } } })),
  });

export const histogramsQuery = (viewpoint: Viewpoint, filter: BoardFilter) =>
  queryOptions({
    queryKey: ["book", "histograms", viewpoint, filter],
    queryFn: () => take(api.GET("/api/histograms", { params: { query: filterQuery(viewpoint, filter) } })),
    placeholderData: keepPreviousData,
  });

export const useCategories = (v: Viewpoint) =>
  useQuery({
    queryKey: ["book", "categories", v],
    queryFn: () => take(api.GET("/api/categories", { params: { query: viewpointQuery(v) } })),
    placeholderData: keepPreviousData,
  });

/** The values that selections can name. */
export const useFacets = () => useQuery({ queryKey: ["book", "facets"], queryFn: () => take(api.GET("/api/facets")) });
