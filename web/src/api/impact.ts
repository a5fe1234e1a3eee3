import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { api, take, type EditChange, type Rule } from "./client";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

export const impactQuery = (v: Partial<Viewpoint>, rule: Rule, replaces: string) =>
  queryOptions({
    queryKey: ["book", "impact", v, replaces, rule],
    queryFn: ({ signal }) =>
      take(api.POST("/api/impact", { params: { query: { ...v, replaces } }, body: rule, signal })),
    gcTime: 10_000,
    retry: false,
  });

/**
 * The impact of a rule that is being written, asked anew at each keystroke; the last answer stays until the next, and is
 * stale until then.
 */
export function useImpact(v: Viewpoint, rule: Rule, replaces: string) {
  const asked = useDeferredValue(rule);
  const query = useQuery({ ...impactQuery(viewpointQuery(v), asked, replaces), placeholderData: keepPreviousData });
  return { ...query, stale: query.isPlaceholderData || JSON.stringify(asked) !== JSON.stringify(rule) };
}

/** What the rule would do to others than those for whom its impact is told. */
export function useElsewhere(v: Viewpoint, rule: Rule, replaces: string, ask: boolean) {
  const asked = useDeferredValue(rule);
  return useQuery({
    queryKey: ["book", "elsewhere", v, replaces, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/impact/elsewhere", {
          params: { query: { ...viewpointQuery(v), replaces } },
          body: asked,
          signal,
        }),
      ),
    enabled: ask,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
}

/** The values of a rule's effect nearest to the one written that keep to a channel's limit. */
export function useNearest(v: Viewpoint, rule: Rule, replaces: string, of: string, side: "least" | "most") {
  const asked = useDeferredValue(rule);
  return useQuery({
    queryKey: ["book", "nearest", v, replaces, of, side, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/impact/nearest", {
          params: { query: { ...viewpointQuery(v), replaces, of, side } },
          body: asked,
          signal,
        }),
      ),
    gcTime: 10_000,
    retry: false,
  });
}

/** What changes of the book would do, asked anew whenever they are others; null asks nothing. */
export const useEditImpact = (changes: EditChange[] | null, at = "") =>
  useQuery({
    queryKey: ["book", "edit-impact", changes, at],
    queryFn: ({ signal }) =>
      take(api.POST("/api/edit/preview", { body: { changes: changes ?? [], ...(at && { at }) }, signal })),
    enabled: changes !== null && changes.length > 0,
    placeholderData: (old) => (changes === null ? undefined : old),
    gcTime: 10_000,
    retry: false,
  });

/** An offer or an order that is being written, at work on real goods. */
export function useTrial(v: Viewpoint, rule: Rule, replaces: string, ask: boolean) {
  const asked = useDeferredValue(rule);
  const query = useQuery({
    queryKey: ["book", "trial", v, replaces, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/impact/trial", {
          params: { query: { ...viewpointQuery(v), replaces } },
          body: asked,
          signal,
        }),
      ),
    enabled: ask,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
  return { ...query, stale: query.isPlaceholderData || JSON.stringify(asked) !== JSON.stringify(rule) };
}
