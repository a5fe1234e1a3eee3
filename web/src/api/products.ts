import { queryOptions, useQuery } from "@tanstack/react-query";
import { inAddress } from "../lib/sku";
import { api, take, type Schema, type Seen } from "./client";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

/** A product as it is kept, with what stands around it. */
export const useProductPage = (v: Viewpoint, sku: string) =>
  useQuery({
    queryKey: ["book", "product", v, sku],
    queryFn: () =>
      take(api.GET("/api/products/{sku}", { params: { path: { sku: inAddress(sku) }, query: viewpointQuery(v) } })),
    enabled: sku !== "",
    retry: false,
  });

/** What products are called that were chosen by their SKUs. */
export const namedQuery = (skus: string[]) =>
  queryOptions({
    queryKey: ["book", "named", skus],
    queryFn: async () => (await take(api.POST("/api/named-goods", { body: { skus } }))).goods,
    enabled: skus.length > 0,
    placeholderData: (before) => before, // names stay while one is added
  });

/** Changes an amount of a product in place. */
export const editProduct = (input: { sku: string; edit: Schema["ProductEdit"] }, seen: Seen) =>
  take(
    api.PATCH("/api/products/{sku}", {
      params: { path: { sku: inAddress(input.sku) }, header: seen },
      body: input.edit,
    }),
  );
