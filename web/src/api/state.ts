import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, take } from "./client";

export const stateQuery = queryOptions({
  queryKey: ["state"],
  queryFn: () => take(api.GET("/api/state")),
  refetchInterval: (q) => (q.state.data?.flags.searching || q.state.data?.channels.some((c) => c.sending) ? 400 : 5000),
  placeholderData: keepPreviousData,
});

/** Where the book stands, and how far the channels are behind. */
export const useProgramState = () => useQuery(stateQuery);
