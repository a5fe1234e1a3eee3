import { queryOptions } from "@tanstack/react-query";
import { api, take } from "./client";

/** Views of the board that somebody keeps by name. */
export const viewsQuery = queryOptions({
  queryKey: ["saved-views"],
  queryFn: async () => (await take(api.GET("/api/saved-views"))).views,
});

export const keepView = (body: { name: string; query: string }) => take(api.PUT("/api/saved-views", { body }));

export const dropView = (name: string) => take(api.DELETE("/api/saved-views", { params: { query: { name } } }));
