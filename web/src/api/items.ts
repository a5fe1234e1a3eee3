import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, take, type ItemKind } from "./client";

export const itemsQuery = (kind: ItemKind) =>
  queryOptions({
    queryKey: ["book", "items", kind],
    queryFn: async () => (await take(api.GET("/api/items/{kind}", { params: { path: { kind } } }))).items,
  });

/** All groups, customers, ranges, ladders, campaigns or channels of the book. */
export const useItems = (kind: ItemKind) => useQuery(itemsQuery(kind));
