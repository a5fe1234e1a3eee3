import { useSyncExternalStore } from "react";
import type { Layer } from "../../api/client";
import type { Form } from "../../parts/rule/form";

/** What a new rule that is being written is kept under; it began in a layer, which may be another by now. */
export const newRuleDraft = (copy: string, layer: Layer) => `dogbane-rule  ${copy} ${layer}`;

/** A new rule that was left unfinished, in the layer in which it is now. */
export interface Unfinished {
  key: string;
  name: string;
  layer: Layer;
  /** With which it was begun. */
  began: { copy: string; layer: string };
}

function read(): Unfinished[] {
  const list: Unfinished[] = [];
  for (let i = 0; i < sessionStorage.length; i++) {
    const key = sessionStorage.key(i) ?? "";
    const began = /^dogbane-rule {2}(\S*) (\S+)$/.exec(key);
    if (!began) continue;
    try {
      const { value } = JSON.parse(sessionStorage.getItem(key) ?? "") as { value: Form };
      list.push({ key, name: value.name, layer: value.layer, began: { copy: began[1] ?? "", layer: began[2] ?? "" } });
    } catch {
      // what cannot be read is no draft
    }
  }
  return list;
}

const changed = "dogbane-drafts";
const listen = (tell: () => void) => {
  window.addEventListener(changed, tell);
  return () => window.removeEventListener(changed, tell);
};

/** Lets go of one that is not wanted any more. */
export function forget({ key }: Unfinished) {
  sessionStorage.removeItem(key);
  window.dispatchEvent(new Event(changed));
}

/** New rules that were begun in this window and not saved. */
export function useUnfinished(): Unfinished[] {
  return JSON.parse(useSyncExternalStore(listen, () => JSON.stringify(read()))) as Unfinished[];
}
