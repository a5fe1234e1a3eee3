import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { api, take, type Schema, type Seen } from "./client";

export const useSettings = () =>
  useQuery({ queryKey: ["book", "settings"], queryFn: () => take(api.GET("/api/settings")) });

type Rate = Schema["RateForm"];

export const rateImpactQuery = (body: Rate) =>
  queryOptions({
    queryKey: ["book", "rate", body],
    queryFn: ({ signal }) => take(api.POST("/api/settings/rate/preview", { body, signal })),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const setRate = (body: Rate, seen: Seen) =>
  take(api.PUT("/api/settings/rate", { params: { header: seen }, body }));

/** Says the settings of a book that was begun empty. */
export const setUp = (body: Schema["SetUpForm"]) => take(api.PUT("/api/setup", { body }));
