import { flushSync } from "react-dom";

/** What is written in; a control that only turns what follows around is marked aside. */
const fields = ["input", "select", "textarea", "button.blank"].map((f) => `${f}:not([disabled], [data-aside])`).join();
const any = `${fields}, a[href], button:not([disabled])`;

const within = (room: Element, selector: string) => [...room.querySelectorAll<HTMLElement>(selector)];

/**
 * Puts a part in or takes one out, as a control that was pressed says, and keeps the focus there: in the first field of
 * what was added; where nothing was and the control itself is gone, in what stood before it.
 */
export function keepingFocus(pressed: HTMLElement, act: () => void) {
  const room = pressed.closest("form, [role=dialog], main") ?? document.body;
  const before = within(room, any);
  flushSync(act);
  const old = new Set(before);
  const added = within(room, fields).find((e) => !old.has(e));
  if (added) added.focus();
  else if (!pressed.isConnected) {
    const left = before.slice(0, before.indexOf(pressed)).reverse();
    (within(room, any).find((e) => !old.has(e)) ?? left.find((e) => e.isConnected))?.focus();
  }
}

/**
 * Remembers what has the focus, for after something was done that may draw it anew or take it away: it has the focus
 * again then, or what is called the same, or at least the view.
 */
export function rememberFocus(was = document.activeElement): () => void {
  const label = was?.getAttribute("aria-label");
  return () =>
    requestAnimationFrame(() => {
      const now = document.activeElement;
      if (now && now !== document.body && !now.closest("[data-notices]")) return;
      const room = document.querySelector("main") ?? document.body;
      const named = label ? room.querySelector<HTMLElement>(`[aria-label="${CSS.escape(label)}"]`) : null;
      for (const e of [was?.isConnected ? (was as HTMLElement) : null, named, document.querySelector("main")]) {
        e?.focus();
        if (e && document.activeElement === e) return;
      }
    });
}
