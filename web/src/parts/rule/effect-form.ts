import type { Break, Effect } from "../../api/client";

export const effectKinds = [
  "percentOff",
  "percentOn",
  "amountOff",
  "amountOn",
  "setPrice",
  "level",
  "markup",
  "margin",
  "derive",
] as const satisfies readonly (keyof Effect)[];
export type EffectKind = (typeof effectKinds)[number];

/** An effect as the editor holds it. */
export interface EffectForm {
  kind: EffectKind;
  value: string;
  from: string;
  basis: "list" | "net" | "subtotal";
  min: string;
  max: string;
  counts: "basket" | "owned" | "both";
}

export interface BreakForm {
  from: string;
  effect: EffectForm;
}

export const blankEffect: EffectForm = {
  kind: "percentOff",
  value: "",
  from: "",
  basis: "net",
  min: "",
  max: "",
  counts: "basket",
};

/** A further break, which does what the one before does until somebody says how much. */
export const newBreak = (from: string, like: EffectForm = blankEffect): BreakForm => ({
  from,
  effect: { ...like, value: like.kind === "level" || like.kind === "derive" ? like.value : "" },
});

export function readEffect(e: Effect | Break): EffectForm {
  const kind = effectKinds.find((k) => e[k] !== undefined) ?? "percentOff";
  const d = e.derive;
  if (!d) return { ...blankEffect, kind, value: kind === "derive" ? "" : (e[kind] ?? "") };
  const { percent: value, from, basis = "net", min = "", max = "", counts = "basket" } = d;
  return { kind, value, from, basis, min, max, counts };
}

export function writeEffect(e: EffectForm): Effect {
  if (e.kind !== "derive") return { [e.kind]: e.kind === "level" ? e.value : e.value.trim() };
  return {
    derive: {
      from: e.from.trim(),
      ...(e.basis !== "net" && { basis: e.basis }),
      percent: e.value.trim(),
      ...(e.min.trim() && { min: e.min.trim() }),
      ...(e.max.trim() && { max: e.max.trim() }),
      ...(e.counts !== "basket" && { counts: e.counts }),
    },
  };
}
