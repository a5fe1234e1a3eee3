import { useQuery } from "@tanstack/react-query";
import { api, take, type Schema, type Seen } from "./client";

export const useSettings = () =>
  useQuery({ queryKey: ["book", "settings"], queryFn: () => take(api.GET("/api/settings")) });

export const saveSettings = (body: Schema["SettingsForm"], seen: Seen) =>
  take(api.PUT("/api/settings", { params: { header: seen }, body }));

/** Says the settings of a book that was begun empty. */
export const setUp = (body: Schema["SetUpForm"]) => take(api.PUT("/api/setup", { body }));
