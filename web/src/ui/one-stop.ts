import { useEffect, useRef, type RefObject } from "react";

const reachable = 'a[href], button:not([disabled]), input:not([disabled]), select:not([disabled]), [tabindex="0"]';

/** What a tab index was before this list took it away. */
const kept = "data-tab-index";

const controls = (item: Element) => [
  ...(item.matches(reachable) || item.hasAttribute(kept) ? [item as HTMLElement] : []),
  ...item.querySelectorAll<HTMLElement>(`${reachable}, [${kept}]`),
];

/**
 * Makes a list one stop of the tab key: only the controls of one of its items are reached, those of the item that had
 * the focus last, or of the first. The arrow keys go to the same control of the item above or below, Home and End to the
 * first and the last item.
 */
export function useOneTabStop(list: RefObject<HTMLElement | null>, itemSelector: string) {
  const last = useRef<Element | null>(null); // the item whose controls are reached
  useEffect(() => {
    const room = list.current;
    if (!room) return;
    const items = () => [...room.querySelectorAll(itemSelector)];
    const settle = () => {
      const all = items();
      if (!last.current || !all.includes(last.current)) last.current = all[0] ?? null;
      for (const item of all)
        for (const control of controls(item)) {
          if (item === last.current) {
            if (!control.hasAttribute(kept)) continue;
            const was = control.getAttribute(kept) ?? "";
            if (was === "") control.removeAttribute("tabindex");
            else control.setAttribute("tabindex", was);
            control.removeAttribute(kept);
          } else if (control.getAttribute("tabindex") !== "-1") {
            control.setAttribute(kept, control.getAttribute("tabindex") ?? "");
            control.setAttribute("tabindex", "-1");
          }
        }
    };
    const focused = (e: FocusEvent) => {
      const item = (e.target as Element).closest(itemSelector);
      if (item && item !== last.current) {
        last.current = item;
        settle();
      }
    };
    const pressed = (e: KeyboardEvent) => {
      const target = e.target as HTMLElement;
      if (e.altKey || e.ctrlKey || e.metaKey || e.shiftKey || e.defaultPrevented) return;
      if (target.matches('select, textarea, input:not([type="checkbox"])')) return;
      if (target.matches('[aria-roledescription][aria-pressed="true"]')) return; // it is being dragged
      const item = target.closest(itemSelector);
      if (!item) return;
      const all = items();
      const at = all.indexOf(item);
      const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: all.length - 1 }[e.key];
      const next = to === undefined ? undefined : all[to];
      if (!next) return;
      const place = controls(item).indexOf(target);
      const there = controls(next);
      const control = there[Math.min(place, there.length - 1)];
      if (!control) return;
      e.preventDefault();
      e.stopPropagation();
      last.current = next;
      settle();
      control.focus();
      next.scrollIntoView({ block: "nearest" });
    };
    settle();
    // Rows come and go with what is asked and what is scrolled to.
    const watching = new MutationObserver(settle);
    watching.observe(room, { childList: true, subtree: true });
    room.addEventListener("focusin", focused);
    room.addEventListener("keydown", pressed);
    return () => {
      watching.disconnect();
      room.removeEventListener("focusin", focused);
      room.removeEventListener("keydown", pressed);
    };
  });
}
