import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schema, type Seen } from "./client";
import { refresh, useSave } from "./saving";

export type LinkForm = Schema["LinkForm"];
export type LinkAnswer = Schema["LinkAnswer"];

/** How all channels are reached. */
export const useLinks = () =>
  useQuery({
    queryKey: ["links"],
    queryFn: () => take(api.GET("/api/links")).then((l) => l.links),
    refetchInterval: 30_000,
  });

/** Asks anew how channels are reached, and what follows from it; done when the former is known. */
function useLinksAgain() {
  const client = useQueryClient();
  return () => {
    void refresh(client);
    return client.invalidateQueries({ queryKey: ["links"] });
  };
}

/** Keeps how a channel is reached. */
export function useSaveLink(channel: string) {
  const again = useLinksAgain();
  return useMutation({
    mutationFn: (body: LinkForm) => take(api.PUT("/api/links/{channel}", { params: { path: { channel } }, body })),
    onSuccess: again,
  });
}

/** Forgets how a channel is reached. */
export function useDropLink(channel: string) {
  const again = useLinksAgain();
  return useMutation({
    mutationFn: () => take(api.DELETE("/api/links/{channel}", { params: { path: { channel } } })),
    onSuccess: again,
  });
}

/** Asks a channel whether it would be reached so. */
export const useTryLink = (channel: string) =>
  useMutation({
    mutationFn: (body: LinkForm) => take(api.POST("/api/links/{channel}/try", { params: { path: { channel } }, body })),
  });

/** What a channel will be told by itself. */
export const useDue = (channel: string, wanted = true) =>
  useQuery({
    queryKey: ["book", "due", channel],
    queryFn: () => take(api.GET("/api/channels/{channel}/due", { params: { path: { channel } } })).then((d) => d.due),
    enabled: wanted,
  });

/** When the feeds of a channel were fetched last. */
export const useFetches = (channel: string) =>
  useQuery({
    queryKey: ["fetches", channel],
    queryFn: () =>
      take(api.GET("/api/channels/{channel}/fetches", { params: { path: { channel } } })).then((d) => d.fetches),
  });

export type TurnForm = Schema["TurnForm"];

/** Starts or ends a rule or campaign now, or passes over its next time, and tells the channels. */
export const useTurn = () =>
  useSave((body: TurnForm, header: Seen) => take(api.POST("/api/turns", { params: { header }, body })));

/** Where a channel does not show what it took. */
export const useDrifts = (channel: string) =>
  useQuery({
    queryKey: ["drifts", channel],
    queryFn: () => take(api.GET("/api/channels/{channel}/drifts", { params: { path: { channel } } })),
    refetchInterval: 30_000,
  });

/** Where a channel shows other prices than channels that sell to the same people. */
export const useUnlike = (channel: string) =>
  useQuery({
    queryKey: ["book", "unlike", channel],
    queryFn: () => take(api.GET("/api/channels/{channel}/unlike", { params: { path: { channel } } })),
  });

/** Reads what a channel shows now. */
export function useCompare(channel: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => take(api.POST("/api/channels/{channel}/compare", { params: { path: { channel } } })),
    onSuccess: (d) => client.setQueryData(["drifts", channel], d),
  });
}

/** Has drifted lines sent again, or lives with them. */
export function useDriftStep(channel: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ what, skus }: { what: "again" | "accept"; skus: string[] }) =>
      what === "again"
        ? take(api.POST("/api/channels/{channel}/drifts/again", { params: { path: { channel } }, body: { skus } }))
        : take(api.POST("/api/channels/{channel}/drifts/accept", { params: { path: { channel } }, body: { skus } })),
    onSettled: () => {
      void client.invalidateQueries({ queryKey: ["drifts", channel] });
      void refresh(client);
    },
  });
}
