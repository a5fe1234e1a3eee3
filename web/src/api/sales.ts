import { queryOptions } from "@tanstack/react-query";
import { api, take, type Seen } from "./client";

/** The files of sales that were brought in. */
export const salesQuery = queryOptions({ queryKey: ["book", "sales"], queryFn: () => take(api.GET("/api/sales")) });

export const dropSales = (id: number, seen: Seen) =>
  take(api.DELETE("/api/sales/{id}", { params: { path: { id }, header: seen } }));
