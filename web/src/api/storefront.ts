import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

export type StorefrontGoods = Schema["StorefrontGoods"];

/** What a shop can show its customers of one product. */
export const useStorefront = (v: Viewpoint, sku: string) =>
  useQuery({
    queryKey: ["book", "storefront", v, sku],
    queryFn: () => take(api.GET("/api/storefront", { params: { query: { ...viewpointQuery(v), sku } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** What each day of a hire costs, from one on. */
export const useHireDays = (v: Viewpoint, sku: string, from: string, days: number) =>
  useQuery({
    queryKey: ["book", "hire-days", v, sku, from, days],
    queryFn: () => take(api.GET("/api/hire-days", { params: { query: { ...viewpointQuery(v), sku, from, days } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Keeps an image and says where it is had. */
export const keepImage = (file: Blob) =>
  take(
    api.POST("/api/images", {
      body: file as unknown as string,
      bodySerializer: (body: unknown) => body as Blob,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );

/** The sets and add-ons that are open, as a shop shows them. */
export const useSets = (v: Viewpoint, ask: boolean) =>
  useQuery({
    queryKey: ["book", "sets", v],
    queryFn: () => take(api.GET("/api/sets", { params: { query: viewpointQuery(v) } })),
    enabled: ask,
    retry: false,
  });
