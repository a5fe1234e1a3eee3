import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import type { filterQuery } from "./board";
import { api, take, type BulkForm, type Schema, type Seen } from "./client";

type Query = ReturnType<typeof filterQuery>;

/** What a change of the amounts of a board's products would do. */
export const amountsImpactQuery = (query: Query, body: BulkForm) =>
  queryOptions({
    queryKey: ["book", "bulk", query, body],
    queryFn: () => take(api.POST("/api/bulk/preview", { params: { query }, body })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const saveAmounts = (input: { query: Query; body: BulkForm }, seen: Seen) =>
  take(api.POST("/api/bulk", { params: { query: input.query, header: seen }, body: input.body }));

/** What a change of a tag, an attribute or another text of a board's products would do. */
export const wordsImpactQuery = (query: Query, body: Schema["BulkWords"]) =>
  queryOptions({
    queryKey: ["book", "words", query, body],
    queryFn: () => take(api.POST("/api/bulk/words/preview", { params: { query }, body })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const saveWords = (input: { query: Query; body: Schema["BulkWords"] }, seen: Seen) =>
  take(api.POST("/api/bulk/words", { params: { query: input.query, header: seen }, body: input.body }));
