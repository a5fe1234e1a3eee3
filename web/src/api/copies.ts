import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";

export type Copies = Schema["BulkCopies"];

/** The pieces that copies of rules, or of a campaign with its rules, would be at another time. */
export const copyPlanQuery = (copies: Copies) =>
  queryOptions({
    queryKey: ["book", "copies", copies],
    queryFn: ({ signal }) => take(api.POST("/api/copies/plan", { body: copies, signal })),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
