import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { api, take, type Rule, type Schema } from "./client";
import { useSave } from "./saving";
import { viewpointQuery, type Viewpoint } from "./viewpoint";
import type { EditChange, FlagGroup } from "./client";
import type { FlagFilter } from "../lib/address";

const flagsOf = (filter: FlagFilter, skip?: number) =>
  take(
    api.GET("/api/flags", {
      params: {
        query: {
          by: filter.by,
          kind: filter.kind,
          severity: filter.severity,
          channel: filter.in,
          layer: filter.layer,
          campaign: filter.campaign,
          category: filter.category,
          cause: filter.cause,
          q: filter.q,
          acknowledged: filter.acknowledged,
          ...(skip && { skip }),
        },
      },
    }),
  );

/** The flags that a filter lets through, in groups; asked again while a newer book is being looked at. */
export const useFlags = (filter: FlagFilter) =>
  useQuery({
    queryKey: ["book", "flags", filter],
    queryFn: () => flagsOf(filter),
    refetchInterval: (q) => (q.state.data?.searching ? 400 : false),
    placeholderData: keepPreviousData,
  });

/** The flags of a group that follow the first ones, a page after the other once they are wanted. */
export const useMoreFlags = (filter: FlagFilter, of: FlagGroup, wanted: boolean) =>
  useInfiniteQuery({
    queryKey: ["book", "flags", filter, "more", of.key, of.entries.length],
    initialPageParam: of.entries.length,
    queryFn: async ({ pageParam }) => {
      const asked = { ...filter, kind: of.kind, ...(of.cause && { cause: of.cause }) };
      const group = (await flagsOf(asked, pageParam)).groups.find((g) => g.key === of.key);
      return { entries: group?.entries ?? [], next: pageParam + (group?.entries.length ?? 0) };
    },
    getNextPageParam: (last) => last.next,
    enabled: wanted,
  });

/** What may clear a flag, each with what it does to the flags; asked again until that is known. */
export const useFixes = (subject: string, channel: string, ask: boolean) =>
  useQuery({
    queryKey: ["book", "fixes", subject, channel],
    queryFn: () => take(api.GET("/api/flags/fixes", { params: { query: { subject, channel } } })),
    enabled: ask,
    refetchInterval: (q) => (q.state.data?.fixes.some((f) => !f.told && !f.late && !f.problem) ? 500 : false),
    retry: false,
  });

export const useFlagHistory = (subject: string, ask: boolean) =>
  useQuery({
    queryKey: ["book", "flag-history", subject],
    queryFn: () => take(api.GET("/api/flags/history", { params: { query: { subject } } })),
    enabled: ask,
  });

/** Applies a fix, in one step that can be undone in one; done is called at once. */
export const useFix = (done?: () => void) =>
  useSave(
    (fix: { title: string; changes: EditChange[] }, seen) =>
      take(api.POST("/api/edit", { params: { header: seen }, body: { changes: fix.changes, summary: fix.title } })),
    done,
  );

/** Lives with a flag for a while, or brings it back. */
export function useAcknowledge() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (
      a:
        | { subject: string; reason: string; until: string }
        | { all: Schema["FlagsSeen"]; reason: string; until: string }
        | { back: string },
    ) =>
      "back" in a
        ? take(api.DELETE("/api/flags/acknowledge", { params: { query: { subject: a.back } } }))
        : take(api.POST("/api/flags/acknowledge", { body: a })),
    onSuccess: () => Promise.all(["book", "state"].map((key) => client.invalidateQueries({ queryKey: [key] }))),
  });
}

/** What keeps a rule from taking effect, wherever it fits. */
export const useWhyNot = (code: string, ask: boolean) =>
  useQuery({
    queryKey: ["book", "why-not", code],
    queryFn: () => take(api.GET("/api/rules/{code}/why-not", { params: { path: { code } } })),
    enabled: ask,
    refetchInterval: (q) => (q.state.data?.known === false ? 400 : false),
  });

/** The flags that a rule which is being written would raise and clear. */
export function useFlagImpact(v: Viewpoint, rule: Rule, replaces: string, ask: boolean) {
  const asked = useDeferredValue(rule);
  return useQuery({
    queryKey: ["book", "flag-impact", replaces, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/impact/flags", {
          params: { query: { ...viewpointQuery(v), replaces } },
          body: asked,
          signal,
        }),
      ),
    enabled: ask,
    placeholderData: keepPreviousData,
    refetchInterval: (q) => (q.state.data?.known === false ? 1000 : false),
    gcTime: 10_000,
    retry: false,
  });
}
