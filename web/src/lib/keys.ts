import { useEffect, useRef } from "react";

const typing = (t: EventTarget | null) =>
  t instanceof HTMLElement && (t.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(t.tagName));

const pressable = (t: EventTarget | null) =>
  t instanceof HTMLElement && t.closest("a[href], button, summary, [role=button], [role=option]") !== null;

/** Keys that work anywhere but in a field or beside a form that is being filled in. Ctrl is written "ctrl+k" and works in fields too. */
export function useKeys(keys: Record<string, (e: KeyboardEvent) => void>) {
  const current = useRef(keys);
  useEffect(() => {
    current.current = keys;
  });
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const control = e.ctrlKey || e.metaKey;
      // A list that is searched takes every Enter for itself: with Control it saves, there too.
      const taken = e.defaultPrevented && !(control && e.key === "Enter");
      if (e.altKey || taken || (!control && typing(e.target))) return;
      if (!control && document.querySelector('[role="dialog"], main form')) return;
      // Enter presses what has the focus before it is a shortcut of the view.
      if (!control && (e.key === "Enter" || e.key === " ") && pressable(e.target)) return;
      const act = current.current[(control ? "ctrl+" : "") + e.key.toLowerCase()];
      if (!act) return;
      e.preventDefault();
      act(e);
    };
    window.addEventListener("keydown", down);
    return () => window.removeEventListener("keydown", down);
  }, []);
}
