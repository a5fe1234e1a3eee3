import { useCallback, useMemo } from "react";
import { useSearchParams } from "react-router";
import { useProgramState, type Viewpoint } from "../api/queries";

/** The viewpoint and the selected product live in the address, so that a view can be sent to a colleague. */
export function useViewpoint() {
  const [params, setParams] = useSearchParams();
  const { data: state } = useProgramState();
  const fallback = state?.channels[0]?.code ?? "";
  const channel = params.get("channel") ?? fallback;
  const at = params.get("at") ?? "";
  const quantity = Math.max(1, Number(params.get("quantity")) || 1);
  const who = params.get("who") ?? "";
  const drafts = params.get("with") ?? "";
  const viewpoint = useMemo<Viewpoint>(
    () => ({
      channel: channel === "none" ? "" : channel,
      at,
      quantity,
      who,
      with: drafts ? drafts.split(",") : [],
    }),
    [channel, at, quantity, who, drafts],
  );
  const set = useCallback(
    (change: Record<string, string | null>) =>
      setParams(
        () => {
          // The address itself, not that of the last drawing: two changes that follow each other are both kept.
          const next = new URLSearchParams(window.location.search);
          for (const [key, value] of Object.entries(change)) {
            if (value === null || value === "") next.delete(key);
            else next.set(key, value);
          }
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  return { viewpoint, params, set, ready: state !== undefined };
}

/** The part of the address that goes along from view to view. */
export function carried(params: URLSearchParams): string {
  const kept = new URLSearchParams();
  for (const key of ["channel", "at", "quantity", "who", "with", "against", "sku", "trail"]) {
    const value = params.get(key);
    if (value !== null) kept.set(key, value);
  }
  const text = kept.toString();
  return text ? "?" + text : "";
}
