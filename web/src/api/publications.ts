import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Publication, type Schema } from "./client";
import type { operations } from "./schema.gen";
import { refresh } from "./saving";

/** How many answers are fetched at once. */
const page = 10_000;

/** How many differences are fetched at once. */
export const differencesPage = 200;

/** What is wanted of a channel's differences: what narrows them, and which pieces count as chosen. */
export type DifferencesOf = NonNullable<operations["get-api-channels-by-channel-differences"]["parameters"]["query"]>;

/** A page of what publishing to a channel now would change, as far as a filter leaves it, with the counts of all. */
export const differencesQuery = (channel: string, of: DifferencesOf, start: number) =>
  queryOptions({
    queryKey: ["book", "differences", channel, of, start],
    queryFn: () =>
      take(
        api.GET("/api/channels/{channel}/differences", {
          params: { path: { channel }, query: { ...of, start, limit: differencesPage } },
        }),
      ),
    enabled: channel !== "",
    placeholderData: keepPreviousData,
  });

/** What publishing to a channel now would change: its first rows, and the counts of all. */
export const useDifferences = (channel: string, of: DifferencesOf = {}) => useQuery(differencesQuery(channel, of, 0));

const underway = (p: Publication | undefined) => p !== undefined && ["queued", "sending"].includes(p.state);

/** What was sent to a channel, or waits for it, the newest first. */
export const usePublications = (channel: string) =>
  useQuery({
    queryKey: ["publications", channel],
    queryFn: () => take(api.GET("/api/publications", { params: { query: { channel } } })),
    refetchInterval: (q) => (q.state.data?.publications.some(underway) ? 400 : 5_000),
  });

/** One publication, without its rows. */
export const usePublication = (id: number) =>
  useQuery({
    queryKey: ["publication", id],
    queryFn: () => take(api.GET("/api/publications/{id}", { params: { path: { id }, query: { limit: 1 } } })),
    refetchInterval: (q) => (underway(q.state.data) ? 250 : false),
    enabled: id > 0,
  });

/** What became of each line of a publication; asked again while it is sent. */
export const useAnswers = (id: number, state: string) =>
  useQuery({
    queryKey: ["publication", id, "answers", state],
    queryFn: async () => {
      const of = (after: string) =>
        take(api.GET("/api/publications/{id}", { params: { path: { id }, query: { after, limit: page } } }));
      const rows: Schema["RowAnswer"][] = [];
      for (let after: string | undefined = ""; after !== undefined;) {
        const some: Publication = await of(after);
        rows.push(...(some.answers ?? []));
        after = some.next;
      }
      return rows;
    },
    refetchInterval: ["queued", "sending"].includes(state) ? 1_000 : false,
  });

const drop = (id: number) => take(api.DELETE("/api/publications/{id}", { params: { path: { id } } }));

const send = async (p: Publication, note = "") => {
  try {
    return await take(api.POST("/api/publications/{id}/send", { params: { path: { id: p.id } }, body: { note } }));
  } catch (e) {
    await drop(p.id).catch(() => undefined); // nobody has a use for one that cannot be sent
    throw e;
  }
};

/** Prepares a publication and has it sent, or wait for a second person. */
export const publish = async (channel: string, body: Schema["PublicationOrder"], note = "") =>
  send(await take(api.POST("/api/channels/{channel}/publications", { params: { path: { channel } }, body })), note);

/** What is sent everywhere: what one edit changed, or a piece of the book by its name. */
type Spread = { entry: number } | { piece: string };

/** What it changes in each channel that it concerns. */
export const useRollout = (what: Spread) =>
  useQuery({
    queryKey: ["book", "rollout", what],
    queryFn: () =>
      take(
        api.GET("/api/rollout", {
          params: { query: "entry" in what ? { entry: what.entry } : { piece: [what.piece] } },
        }),
      ),
  });

/** Sends it to the channels that are chosen. */
export function useRollOut(what: Spread) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (form: { version: number; channels: string[]; note: string }) =>
      take(
        api.POST("/api/rollout", {
          body: { ...form, ...("entry" in what ? { entry: what.entry } : { pieces: [what.piece] }) },
        }),
      ).then((done) => done.channels),
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ["publications"] });
      void refresh(client);
    },
  });
}

/** What may become of a publication. */
export type PublicationStep =
  | { what: "approve"; id: number; note?: string }
  | { what: "take-back" | "rest" | "stop" | "withdraw"; id: number }
  | { what: "refuse"; id: number; reason: string };

/** Decides on a publication that waits, or sends another one that takes it back or has its rest. */
export function usePublicationStep() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (step: PublicationStep) => {
      const params = { path: { id: step.id } };
      switch (step.what) {
        case "approve":
          return take(api.POST("/api/publications/{id}/approve", { params, body: { note: step.note ?? "" } }));
        case "stop":
          return take(api.POST("/api/publications/{id}/stop", { params }));
        case "withdraw":
          return drop(step.id);
        case "refuse":
          return take(api.POST("/api/publications/{id}/refuse", { params, body: { reason: step.reason } }));
        case "take-back":
          return send(await take(api.POST("/api/publications/{id}/take-back", { params })));
        case "rest":
          return send(await take(api.POST("/api/publications/{id}/rest", { params })));
      }
    },
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ["publications"] });
      void client.invalidateQueries({ queryKey: ["publication"] });
      void refresh(client);
    },
  });
}

/** Lets go of lines that are held back or left out in a channel. */
export function useRelease(channel: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ skus, leftOut }: { skus: string[]; leftOut: boolean }) =>
      leftOut
        ? take(api.POST("/api/channels/{channel}/left-out/release", { params: { path: { channel } }, body: { skus } }))
        : take(api.POST("/api/channels/{channel}/held/release", { params: { path: { channel } }, body: { skus } })),
    onSettled: () => void refresh(client),
  });
}
