import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { inAddress } from "../lib/sku";
import { useAskBreaks, useSaved } from "../ui/toasts";
import {
  api,
  Problem,
  take,
  withBreaksSeen,
  type EditChange,
  type Impact,
  type Job,
  type Rule,
  type RuleRow,
  type Saved,
} from "./client";

/** Who, where, how many and when; empty strings stand for everybody, nowhere and now. */
export interface Viewpoint {
  channel: string;
  at: string;
  quantity: number;
  /** "group:CODE", "customer:CODE" or "". */
  who: string;
  /** Rules and campaigns that count as on. */
  with: string[];
}

export const viewpointQuery = (v: Viewpoint) => ({
  channel: v.channel,
  at: v.at,
  quantity: v.quantity,
  who: v.who,
  ...(v.with.length > 0 && { with: v.with }),
});

export const useSession = () =>
  useQuery({ queryKey: ["session"], queryFn: () => take(api.GET("/api/session")), staleTime: 60_000 });

const rolesInOrder = ["reader", "manager", "approver", "administrator"];

/** Whether the person signed in may do what needs a role. */
export function useMay(needs: "manager" | "approver" | "administrator"): boolean {
  const { data } = useSession();
  return rolesInOrder.indexOf(data?.role ?? "") >= rolesInOrder.indexOf(needs);
}

export type ItemKind = "groups" | "customers" | "ranges" | "ladders" | "campaigns" | "channels";

export const useItems = (kind: ItemKind) =>
  useQuery({
    queryKey: ["book", "items", kind],
    queryFn: async () => (await take(api.GET("/api/items/{kind}", { params: { path: { kind } } }))).items,
  });

export const useOutlook = (v: Viewpoint, sku: string) =>
  useQuery({
    queryKey: ["book", "outlook", v, sku],
    queryFn: () => take(api.GET("/api/outlook", { params: { query: { ...viewpointQuery(v), sku } } })),
    enabled: sku !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });

export const useSavedViews = () =>
  useQuery({ queryKey: ["saved-views"], queryFn: async () => (await take(api.GET("/api/saved-views"))).views });

export const useProgramState = () =>
  useQuery({
    queryKey: ["state"],
    queryFn: () => take(api.GET("/api/state")),
    refetchInterval: (q) =>
      q.state.data?.flags.searching || q.state.data?.channels.some((c) => c.sending) ? 400 : 5000,
    placeholderData: keepPreviousData,
  });

export const useCategories = (v: Viewpoint) =>
  useQuery({
    queryKey: ["book", "categories", v],
    queryFn: () => take(api.GET("/api/categories", { params: { query: viewpointQuery(v) } })),
    placeholderData: keepPreviousData,
  });

export const useChanges = () =>
  useQuery({
    queryKey: ["book", "changes"],
    queryFn: () => take(api.GET("/api/changes", { params: { query: { days: 60 } } })),
  });

export const useRules = () =>
  useQuery({
    queryKey: ["book", "rules"],
    queryFn: async () => {
      const list = await take(api.GET("/api/rules"));
      return list.rules as unknown as RuleRow[];
    },
  });

export const usePrice = (v: Viewpoint, sku: string) =>
  useQuery({
    queryKey: ["book", "price", v, sku],
    queryFn: () => take(api.GET("/api/price", { params: { query: { ...viewpointQuery(v), sku } } })),
    enabled: sku !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });

export const useFlags = () =>
  useQuery({
    queryKey: ["book", "flags"],
    queryFn: () => take(api.GET("/api/flags")),
    refetchInterval: (q) => (q.state.data?.searching ? 300 : false),
  });

export const useFacets = () => useQuery({ queryKey: ["book", "facets"], queryFn: () => take(api.GET("/api/facets")) });

export const useDifferences = (channel: string) =>
  useQuery({
    queryKey: ["book", "differences", channel],
    queryFn: () => take(api.GET("/api/channels/{channel}/differences", { params: { path: { channel } } })),
    enabled: channel !== "",
  });

export const usePublications = (channel: string) =>
  useQuery({
    queryKey: ["publications", channel],
    queryFn: () => take(api.GET("/api/publications", { params: { query: { channel } } })),
  });

export const usePublication = (id: number) =>
  useQuery({
    queryKey: ["publication", id],
    queryFn: () => take(api.GET("/api/publications/{id}", { params: { path: { id } } })),
    refetchInterval: (q) => (q.state.data?.status === "sending" ? 250 : false),
    enabled: id > 0,
  });

export const useLog = () =>
  useQuery({
    queryKey: ["book", "log"],
    queryFn: () => take(api.GET("/api/log", { params: { query: { limit: 60 } } })),
  });

/** The effect of a rule that is being written, asked anew at each keystroke; the last answer stays until the next. */
export function useImpact(v: Viewpoint, rule: Rule, replaces: string) {
  const asked = useDeferredValue(JSON.stringify(rule));
  return useQuery({
    queryKey: ["book", "impact", v, replaces, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/impact", {
          params: { query: { ...viewpointQuery(v), replaces } },
          body: JSON.parse(asked) as never,
          signal,
        }),
      ) as Promise<Impact>,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    retry: false,
  });
}

/** The values of a rule's effect nearest to the one written that keep to a channel's demand. */
export function useNearest(v: Viewpoint, rule: Rule, replaces: string, of: string, side: "least" | "most") {
  const asked = useDeferredValue(JSON.stringify(rule));
  return useQuery({
    queryKey: ["book", "nearest", v, replaces, of, side, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/impact/nearest", {
          params: { query: { ...viewpointQuery(v), replaces, of, side } },
          body: JSON.parse(asked) as never,
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

/** Saves changes of the book together. */
export const useEdit = () =>
  useSave((edit: { changes: EditChange[]; summary?: string }) => take(api.POST("/api/edit", { body: edit })));

export const useSettings = () =>
  useQuery({ queryKey: ["book", "settings"], queryFn: () => take(api.GET("/api/settings")) });

export const useChecks = () => useQuery({ queryKey: ["book", "checks"], queryFn: () => take(api.GET("/api/checks")) });

export const useProductPage = (v: Viewpoint, sku: string) =>
  useQuery({
    queryKey: ["book", "product", v, sku],
    queryFn: () =>
      take(api.GET("/api/products/{sku}", { params: { path: { sku: inAddress(sku) }, query: viewpointQuery(v) } })),
    enabled: sku !== "",
    retry: false,
  });

export const useCalendar = (from: string, to: string) =>
  useQuery({
    queryKey: ["book", "calendar", from, to],
    queryFn: () => take(api.GET("/api/calendar", { params: { query: { from, to } } })),
    placeholderData: keepPreviousData,
  });

export const usePriceCourse = (v: Viewpoint, sku: string, from: string, to: string) =>
  useQuery({
    queryKey: ["book", "course", v, sku, from, to],
    queryFn: () => take(api.GET("/api/price-course", { params: { query: { ...viewpointQuery(v), sku, from, to } } })),
    enabled: sku !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Waits for the end of a job, tells how far it is, and gives what was saved. */
export async function finished(begun: Promise<Job>, tell: (j: Job) => void = () => undefined): Promise<Saved> {
  let job = await begun;
  for (;;) {
    tell(job);
    if (job.state === "done" && job.saved) return job.saved;
    if (job.state !== "running")
      throw new Problem(
        422,
        job.problem ?? "It failed.",
        (job.errors ?? []).map((e) => ({ location: e.path, message: e.problem })),
        undefined,
        job.checks,
      );
    await new Promise((r) => setTimeout(r, 150));
    job = await take(api.GET("/api/jobs/{id}", { params: { path: { id: job.id } } }));
  }
}

/** A write: everything that rests on the book is asked anew, and what was saved can be undone from a notice. */
export function useSave<In>(write: (input: In) => Promise<Saved>) {
  const client = useQueryClient();
  const notify = useSaved();
  const ask = useAskBreaks();
  return useMutation({
    mutationFn: async (input: In) => {
      try {
        return await write(input);
      } catch (e) {
        if (e instanceof Problem && e.checks.length > 0 && (await ask(e.checks)))
          return withBreaksSeen(() => write(input));
        throw e;
      }
    },
    onSuccess: async (saved) => {
      if (saved.entry) notify(saved);
      await refresh(client);
    },
  });
}

export const refresh = (client: ReturnType<typeof useQueryClient>) =>
  Promise.all([
    client.invalidateQueries({ queryKey: ["book"] }),
    client.invalidateQueries({ queryKey: ["state"] }),
    client.invalidateQueries({ queryKey: ["publications"] }),
    client.invalidateQueries({ queryKey: ["session"] }),
  ]);
