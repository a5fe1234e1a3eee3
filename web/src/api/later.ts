import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schema, type Seen } from "./client";
import { useSave } from "./saving";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

/** What figures of products will be others, by the moment from which they are, with what that moves. */
export const useLater = (v: Viewpoint) =>
  useQuery({
    queryKey: ["book", "later", v],
    queryFn: () => take(api.GET("/api/later", { params: { query: viewpointQuery(v) } })),
    placeholderData: keepPreviousData,
  });

/** The figures that begin to hold at one moment, a page of them. */
export const useLaterGoods = (at: string, start: number) =>
  useQuery({
    queryKey: ["book", "later-goods", at, start],
    queryFn: () => take(api.GET("/api/later/goods", { params: { query: { at, start } } })),
    placeholderData: keepPreviousData,
  });

/** Moves later figures to another moment or, without one, drops them. */
export const useMoveLater = (done?: () => void) =>
  useSave(
    (body: Schema["BulkLater"], seen: Seen) => take(api.POST("/api/later/move", { params: { header: seen }, body })),
    done,
  );
