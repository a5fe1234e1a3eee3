import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, take } from "./client";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

export const priceQuery = (v: Viewpoint, sku: string) =>
  queryOptions({
    queryKey: ["book", "price", v, sku],
    queryFn: () => take(api.GET("/api/price", { params: { query: { ...viewpointQuery(v), sku } } })),
    retry: false,
  });

/** One product's price with its whole trail. */
export const usePrice = (v: Viewpoint, sku: string) =>
  useQuery({ ...priceQuery(v, sku), enabled: sku !== "", placeholderData: keepPreviousData });

/** One product's price for every group and quantity, and over the time ahead. */
export const useOutlook = (v: Viewpoint, sku: string) =>
  useQuery({
    queryKey: ["book", "outlook", v, sku],
    queryFn: () => take(api.GET("/api/outlook", { params: { query: { ...viewpointQuery(v), sku } } })),
    enabled: sku !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });

/** One product's price over a span, as published and as planned. */
export const usePriceCourse = (v: Viewpoint, sku: string, from: string, to: string) =>
  useQuery({
    queryKey: ["book", "course", v, sku, from, to],
    queryFn: () => take(api.GET("/api/price-course", { params: { query: { ...viewpointQuery(v), sku, from, to } } })),
    enabled: sku !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });
