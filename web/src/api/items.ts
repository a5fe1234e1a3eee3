import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
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

/** What a channel as it would be keeps of a product whose tax is another in its country. */
export const useKeeps = (channel: Record<string, unknown>) =>
  useQuery({
    queryKey: ["book", "keeps", channel],
    queryFn: ({ signal }) => take(api.POST("/api/channels/keeps", { body: channel, signal })),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
