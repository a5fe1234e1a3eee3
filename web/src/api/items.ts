import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, take, type Item, type ItemKind } from "./client";

export const itemsQuery = <K extends ItemKind>(kind: K) =>
  queryOptions({
    queryKey: ["book", "items", kind],
    queryFn: async () => {
      const { items } = await take(api.GET("/api/items/{kind}", { params: { path: { kind } } }));
      return items as Item<K>[]; // the kind that was asked for says which documents they are
    },
  });

/** All groups, customers, ranges, ladders, campaigns or channels of the book. */
export const useItems = <K extends ItemKind>(kind: K) => useQuery(itemsQuery(kind));
