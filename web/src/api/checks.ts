import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, take, type CheckRow } from "./client";
import type { Viewpoint } from "./viewpoint";

export const checksQuery = queryOptions({
  queryKey: ["book", "checks"],
  queryFn: () => take(api.GET("/api/checks")),
});

export const useChecks = () => useQuery(checksQuery);

/** The question of an expectation: what a product costs from a viewpoint at a moment. */
export function priceAsked(sku: string, at: string, v: Viewpoint) {
  const [kind, who] = v.who.split(":");
  return {
    sku,
    at,
    ...(v.channel && { channel: v.channel }),
    ...(v.quantity > 1 && { quantity: v.quantity }),
    ...(who && { [kind === "customer" ? "customer" : "group"]: who }),
    ...(v.country && { country: v.country }),
    ...(v.first && { firstOrder: v.first === "yes" }),
    ...(v.signedIn && { signedIn: v.signedIn === "yes" }),
    ...(v.with.length > 0 && { with: v.with }),
  };
}

type Form = Pick<CheckRow, "name" | "doc">;

export const pinCheck = (body: Form) => take(api.POST("/api/checks", { body }));

export const changeCheck = (id: number, body: Form) =>
  take(api.PUT("/api/checks/{id}", { params: { path: { id } }, body }));

export const dropCheck = (id: number) => take(api.DELETE("/api/checks/{id}", { params: { path: { id } } }));
