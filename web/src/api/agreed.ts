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
