import { useQuery } from "@tanstack/react-query";
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

/** Changes an amount of a product in place. */
export const editProduct = (input: { sku: string; edit: Schema["ProductEdit"] }, seen: Seen) =>
  take(
    api.PATCH("/api/products/{sku}", {
      params: { path: { sku: inAddress(input.sku) }, header: seen },
      body: input.edit,
    }),
  );
