import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take } from "./client";

/** The windows of rules and campaigns over a span. */
export const useCalendar = (from: string, to: string) =>
  useQuery({
    queryKey: ["book", "calendar", from, to],
    queryFn: () => take(api.GET("/api/calendar", { params: { query: { from, to } } })),
    placeholderData: keepPreviousData,
  });

/** When windows open or close. */
export const useChanges = () =>
  useQuery({
    queryKey: ["book", "changes"],
    queryFn: () => take(api.GET("/api/changes", { params: { query: { days: 60 } } })),
  });

/** The rules that a campaign takes along when it begins at another moment; without one, none. */
export const useAlong = (campaign: string, from: string) =>
  useQuery({
    queryKey: ["book", "along", campaign, from],
    queryFn: () => take(api.GET("/api/calendar/along", { params: { query: { campaign, from } } })),
    enabled: campaign !== "" && from !== "",
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
