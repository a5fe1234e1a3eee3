import { useQuery } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";

/** The keys of a channel's programs, newest first. */
export const useChannelKeys = (channel: string) =>
  useQuery({
    queryKey: ["keys", channel],
    queryFn: () => take(api.GET("/api/channels/{channel}/keys", { params: { path: { channel } } })),
    enabled: channel !== "",
  });

export const makeKey = (channel: string, body: Schema["KeyForm"]) =>
  take(api.POST("/api/channels/{channel}/keys", { params: { path: { channel } }, body }));

export const revokeKey = (channel: string, id: number) =>
  take(api.DELETE("/api/channels/{channel}/keys/{id}", { params: { path: { channel, id } } }));
