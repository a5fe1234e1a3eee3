import type { DocError, Rule } from "../../../api/client";
import { endAfter, lastOf } from "../../../lib/format";
import { readSelection, unfinished, writeSelection, type Selection } from "./selection";

export type EffectKey = "percentOff" | "percentOn" | "amountOff" | "amountOn" | "setPrice";

/** A rule as the editor holds it. rest keeps every key that the editor has no control for. */
export interface Form {
  code: string;
  name: string;
  note: string;
  layer: Rule["layer"];
  rank: string;
  status: "on" | "off" | "draft";
  effect: EffectKey | "other";
  value: string;
  selection: Selection;
  channels: string[] | null;
  fromDate: string;
  fromTime: string;
  toDate: string;
  toTime: string;
  minQuantity: string;
  step: string;
  direction: "nearest" | "up" | "down";
  shift: string;
  rest: Record<string, unknown>;
}

const edited = ["code", "name", "note", "layer", "rank", "status", "where", "channels", "minQuantity", "ending"];
const effectKeys: EffectKey[] = ["percentOff", "percentOn", "amountOff", "amountOn", "setPrice"];

export function readForm(rule: Rule): Form {
  const key = effectKeys.find((k) => rule.effect?.[k] !== undefined);
  const rest = Object.fromEntries(
    Object.entries(rule).filter(([k]) => !edited.includes(k) && (k !== "effect" || !key)),
  );
  const last = lastOf(rule.window?.to ?? "");
  const from = rule.window?.from ?? "";
  return {
    code: rule.code,
    name: rule.name ?? "",
    note: rule.note ?? "",
    layer: rule.layer,
    rank: String(rule.rank),
    status: rule.status ?? "on",
    effect: key ?? "other",
    value: key ? (rule.effect?.[key] ?? "") : "",
    selection: readSelection(rule.where),
    channels: rule.channels ?? null,
    fromDate: from.slice(0, 10),
    fromTime: from.slice(11, 16) === "00:00" ? "" : from.slice(11, 16),
    toDate: last.date,
    toTime: last.time,
    minQuantity: String(rule.minQuantity ?? 1),
    step: rule.ending?.step ?? "",
    direction: rule.ending?.direction ?? "nearest",
    shift: rule.ending?.shift ?? "",
    rest,
  };
}

export const emptyForm = (layer: Rule["layer"], rank: number): Form => ({
  ...readForm({ code: "", layer, rank, where: { all: [] }, effect: { percentOff: "" } }),
  selection: readSelection(undefined),
});

/** The rule that the form says. A field that is no number goes as it was typed: the core says what is wrong with it. */
export function writeForm(f: Form): Rule {
  const where = writeSelection(f.selection);
  const wholeOr = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : text.trim());
  const window: Record<string, unknown> = { ...(f.rest.window as object | undefined) };
  delete window.from;
  delete window.to;
  if (f.fromDate) window.from = `${f.fromDate}T${f.fromTime || "00:00"}`;
  if (f.toDate) window.to = endAfter(f.toDate, f.toTime);
  const rest = { ...f.rest };
  delete rest.window;
  return {
    ...rest,
    code: f.code,
    layer: f.layer,
    rank: wholeOr(f.rank),
    ...(f.name.trim() && { name: f.name.trim() }),
    ...(f.note.trim() && { note: f.note.trim() }),
    ...(f.status !== "on" && { status: f.status }),
    ...(where && { where }),
    ...(f.channels && { channels: f.channels }),
    ...(f.minQuantity.trim() !== "1" && { minQuantity: wholeOr(f.minQuantity) }),
    ...(Object.keys(window).length > 0 && { window }),
    ...(f.effect !== "other" && { effect: { [f.effect]: f.value.trim() } }),
    ...(f.step.trim() && {
      ending: {
        step: f.step.trim(),
        ...(f.direction !== "nearest" && { direction: f.direction }),
        ...(f.shift.trim() && { shift: f.shift.trim() }),
      },
    }),
  } as Rule;
}

export type Place =
  "name" | "code" | "rank" | "effect" | "where" | "channels" | "from" | "to" | "minQuantity" | "ending" | "other";

/** The control that an error belongs to. */
export function placeOf(path: string): Place {
  if (path.startsWith("window.to")) return "to";
  if (path.startsWith("window")) return "from";
  for (const p of ["name", "code", "rank", "effect", "where", "channels", "minQuantity", "ending"] as const)
    if (path === p || path.startsWith(p + ".") || path.startsWith(p + "[")) return p;
  return "other";
}

const plain: Record<string, string> = {
  "where is missing": "Choose goods, or say that it is for every product.",
  "percent from 0 to 100": "A reduction is a percent from 0 to 100.",
};

/** The errors of a form by control, in words for people. */
export function errorsOf(f: Form, errors: DocError[]): Map<Place, string> {
  const map = new Map<Place, string>();
  for (const e of errors) {
    const place = placeOf(e.path);
    if (map.has(place)) continue;
    const full = `${e.path} ${e.problem}`;
    const known = Object.entries(plain).find(([part]) => full.includes(part));
    map.set(
      place,
      known
        ? known[1]
        : e.path === "effect." + f.effect && f.value.trim() === ""
          ? "Write how much."
          : upper(e.problem) + ".",
    );
  }
  if (f.toTime && !f.toDate) map.set("to", "A time of day needs a date.");
  if (f.fromTime && !f.fromDate) map.set("from", "A time of day needs a date.");
  if (!f.selection.everything && f.selection.root.parts.length > 0) {
    const open = unfinished(f.selection.root);
    if (open) map.set("where", open);
  }
  return map;
}

const upper = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);

/** A code made of a name: "Glaze week" → "GLAZE-WEEK", with a number where it is taken. */
export function codeFrom(name: string, taken: Set<string>): string {
  const base =
    name
      .normalize("NFD")
      .replace(/[^\w\s-]/g, "")
      .trim()
      .toUpperCase()
      .replace(/[\s_-]+/g, "-")
      .slice(0, 28) || "RULE";
  let code = base;
  for (let n = 2; taken.has(code); n++) code = `${base}-${n}`;
  return code;
}
