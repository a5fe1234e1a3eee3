import { queryOptions } from "@tanstack/react-query";
import { api, take, type Schema, type Seen } from "./client";

/** What was agreed with a customer. */
export const agreedQuery = (code: string) =>
  queryOptions({
    queryKey: ["book", "agreed", code],
    queryFn: () => take(api.GET("/api/customers/{code}/agreed", { params: { path: { code } } })),
  });

export const agree = (input: { customer: string; body: Schema["AgreedEdit"] }, seen: Seen) =>
  take(
    api.PUT("/api/customers/{code}/agreed", {
      params: { path: { code: input.customer }, header: seen },
      body: input.body,
    }),
  );

/** What the customer's groups pay for a product, and whether a price would be dearer. */
export const agreedComparisonQuery = (code: string, sku: string, price: string) =>
  queryOptions({
    queryKey: ["book", "agreed", code, "compare", sku, price],
    queryFn: () =>
      take(api.GET("/api/customers/{code}/agreed/compare", { params: { path: { code }, query: { sku, price } } })),
    retry: false,
  });

export const fixAgreed = (input: { customer: string; fixed: boolean }, seen: Seen) =>
  take(
    api.PUT("/api/customers/{code}/agreed/fixed", {
      params: { path: { code: input.customer }, header: seen },
      body: { fixed: input.fixed },
    }),
  );
