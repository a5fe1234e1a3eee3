import { useCallback, useMemo } from "react";
import { useSearchParams } from "react-router";
import { useProgramState } from "../api/state";
import { readViewpoint } from "./address";

/** The viewpoint and the selected product live in the address, so that a view can be sent to a colleague. */
export function useViewpoint() {
  const [params, setParams] = useSearchParams();
  const { data: state } = useProgramState();
  const fallback = state?.channels[0]?.code ?? "";
  // The same question is the same object, whatever else the address says.
  const asked = JSON.stringify(readViewpoint(params, fallback));
  const viewpoint = useMemo(() => JSON.parse(asked) as ReturnType<typeof readViewpoint>, [asked]);
  const set = useCallback(
    (change: Record<string, string | null>) => {
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
      );
    },
    [setParams],
  );
  return { viewpoint, params, set, ready: state !== undefined };
}
