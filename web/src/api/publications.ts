import { useQuery } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";

/** What publishing to a channel now would change. */
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

export const publish = (channel: string, body: Schema["PublicationOrder"]) =>
  take(api.POST("/api/channels/{channel}/publications", { params: { path: { channel } }, body }));
