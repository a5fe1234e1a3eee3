import { queryOptions } from "@tanstack/react-query";
import { api, take, type Seen } from "./client";

export const logQuery = queryOptions({
  queryKey: ["book", "log"],
  queryFn: () => take(api.GET("/api/log", { params: { query: { limit: 60 } } })),
});

export const entryQuery = (id: number) =>
  queryOptions({
    queryKey: ["log-entry", id],
    queryFn: () => take(api.GET("/api/log/{id}", { params: { path: { id } } })),
  });

/** Takes a saved edit back. */
export const undo = (id: number, seen: Seen) =>
  take(api.POST("/api/log/{id}/undo", { params: { path: { id }, header: seen } }));
