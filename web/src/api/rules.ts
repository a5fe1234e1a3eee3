import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, take, type Rule, type Schema, type Seen } from "./client";

export const rulesQuery = queryOptions({
  queryKey: ["book", "rules"],
  queryFn: async () => (await take(api.GET("/api/rules"))).rules,
});

/** All rules, in the order in which prices meet them. */
export const useRules = () => useQuery(rulesQuery);

export const makeRule = (rule: Rule, seen: Seen) =>
  take(api.POST("/api/rules", { params: { header: seen }, body: rule }));

export const saveRule = (input: { code: string; etag: string; rule: Rule }, seen: Seen) =>
  take(
    api.PUT("/api/rules/{code}", {
      params: { path: { code: input.code }, header: { ...seen, "If-Match": input.etag } },
      body: input.rule,
    }),
  );

export const deleteRule = (code: string, seen: Seen) =>
  take(api.DELETE("/api/rules/{code}", { params: { path: { code }, header: seen } }));

export const switchRule = (input: { code: string; status: "on" | "off" }, seen: Seen) =>
  take(
    api.POST("/api/rules/{code}/switch", {
      params: { path: { code: input.code }, header: seen },
      body: { status: input.status },
    }),
  );

export const addProducts = (input: { code: string; skus: string[] }, seen: Seen) =>
  take(
    api.POST("/api/rules/{code}/add-products", {
      params: { path: { code: input.code }, header: seen },
      body: { skus: input.skus },
    }),
  );

/** Does one thing to several rules. */
export const doToRules = (body: Schema["BulkRules"], seen: Seen) =>
  take(api.POST("/api/rules-batch", { params: { header: seen }, body }));

/** Puts the rules of a layer into another order. */
export const orderRules = (body: Schema["RuleOrder"], seen: Seen) =>
  take(api.POST("/api/rules-order", { params: { header: seen }, body }));

/** Finds the SKUs in a pasted text. */
export const readSkus = (text: string) => take(api.POST("/api/sku-list", { body: { text } }));
