import { useSyncExternalStore } from "react";

const key = "dogbane-rows";
const listeners = new Set<() => void>();

/** Whether the rows of the board are low, a preference of whoever sits before it, and how to change that. */
export function useCompact(): [boolean, (on: boolean) => void] {
  const compact = useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => void listeners.delete(tell);
    },
    () => localStorage.getItem(key) === "compact",
  );
  return [
    compact,
    (on) => {
      localStorage.setItem(key, on ? "compact" : "roomy");
      for (const tell of listeners) tell();
    },
  ];
}
