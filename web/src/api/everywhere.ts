import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";

export type PriceThat = Schema["PriceThat"];

export interface OnePriceFilter {
  q: string;
  category: string;
  only: "" | "apart";
}

/** Products with their prices in book, feed and channel, a page of them. */
export const useOnePrice = (filter: OnePriceFilter, start: number, limit: number) =>
  useQuery({
    queryKey: ["book", "one-price", filter, start, limit],
    queryFn: () => take(api.GET("/api/one-price", { params: { query: { ...filter, start, limit } } })),
    placeholderData: keepPreviousData,
  });

export const onePriceFile = (filter: OnePriceFilter) =>
  "/api/one-price.csv?" + new URLSearchParams(Object.entries(filter).filter(([, value]) => value !== "")).toString();
