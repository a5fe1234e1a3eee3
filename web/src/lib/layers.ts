import type { Layer } from "../api/client";

/** How people call the layers, in their usual order. */
export const layerNames: Record<Layer, string> = {
  catalog: "Catalog",
  sale: "Sale",
  tier: "Quantity",
  group: "Group terms",
  promotion: "Promotion",
};

/** How the rules of a layer share the work, in words. */
export const modeWords: Record<string, string> = {
  first: "the first rule that fits is used",
  lowest: "the lowest price wins",
  highest: "the highest price wins",
  stack: "every rule applies, one on the result of the other",
  add: "every rule applies, and what they take is added up",
};

export const layerColour: Record<Layer, string> = {
  catalog: "var(--catalog)",
  sale: "var(--sale)",
  tier: "var(--tier)",
  group: "var(--group)",
  promotion: "var(--promotion)",
};
