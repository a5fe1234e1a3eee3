import { lazy, type ComponentType } from "react";

/** A view whose program comes when it is first gone to, or before. */
export function fetched<K extends string>(load: () => Promise<Record<K, ComponentType>>, name: K) {
  const bring = () =>
    load().catch((failed: unknown) => {
      // Another version of the program has other files: the page is loaded anew, once.
      const once = "dogbane-reloaded";
      if (sessionStorage.getItem(once) === document.URL) throw failed;
      sessionStorage.setItem(once, document.URL);
      location.reload();
      return new Promise<never>(() => undefined);
    });
  return { View: lazy(async () => ({ default: (await bring())[name] })), bring: () => load().catch(() => undefined) };
}

/** Does something once the page has nothing else to do. */
export function whenIdle(act: () => void) {
  if ("requestIdleCallback" in window) requestIdleCallback(act, { timeout: 3000 });
  else setTimeout(act, 500);
}
