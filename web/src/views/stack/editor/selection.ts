import type { Where } from "../../../api/client";
import { listOf } from "../../../lib/sentence";

/** A selection as the builder edits it. Conditions that it cannot edit are kept as they are ("other"). */
export type Part =
  | { kind: "group"; id: number; mode: "all" | "any"; not: boolean; parts: Part[] }
  | {
      kind: "values";
      id: number;
      field: "sku" | "category" | "brand" | "tag";
      not: boolean;
      values: string[];
      unknown?: string[];
    }
  | { kind: "list"; id: number; not: boolean; min: string; max: string }
  | { kind: "other"; id: number; not: boolean; doc: Where };

export type Group = Extract<Part, { kind: "group" }>;

/** What the whole builder holds: everything, on purpose, or a group of conditions. */
export interface Selection {
  everything: boolean;
  root: Group;
}

let next = 1;
export const newId = () => next++;
export const newGroup = (mode: "all" | "any" = "any"): Group => ({
  kind: "group",
  id: newId(),
  mode,
  not: false,
  parts: [],
});
export const newValues = (field: "sku" | "category" | "brand" | "tag"): Part => ({
  kind: "values",
  id: newId(),
  field,
  not: false,
  values: [],
});
export const newList = (): Part => ({ kind: "list", id: newId(), not: false, min: "", max: "" });

function read(w: Where, not: boolean): Part {
  const id = newId();
  if (w.not && !not) return read(w.not, true);
  if (w.all) return { kind: "group", id, mode: "all", not, parts: w.all.map((p) => read(p, false)) };
  if (w.any) return { kind: "group", id, mode: "any", not, parts: w.any.map((p) => read(p, false)) };
  for (const field of ["sku", "category", "brand", "tag"] as const)
    if (w[field] !== undefined) return { kind: "values", id, field, not, values: listOf(w[field]) };
  if (w.list) return { kind: "list", id, not, min: w.list.min ?? "", max: w.list.max ?? "" };
  return { kind: "other", id, not, doc: w };
}

export function readSelection(w: Where | undefined): Selection {
  if (!w) return { everything: false, root: newGroup("all") };
  if (w.all?.length === 0) return { everything: true, root: newGroup("all") };
  const part = read(w, false);
  if (part.kind === "group" && !part.not) return { everything: false, root: part };
  return { everything: false, root: { ...newGroup("all"), parts: [part] } };
}

function write(p: Part): Where {
  let w: Where;
  switch (p.kind) {
    case "group":
      w = p.mode === "all" ? { all: p.parts.map(write) } : { any: p.parts.map(write) };
      break;
    case "values":
      w = { [p.field]: p.values };
      break;
    case "list":
      w = { list: { ...(p.min.trim() && { min: p.min.trim() }), ...(p.max.trim() && { max: p.max.trim() }) } };
      break;
    case "other":
      w = p.doc;
  }
  return p.not ? { not: w } : w;
}

/** The selection as a document; undefined where nothing was chosen, which is not the same as everything. */
export function writeSelection(s: Selection): Where | undefined {
  if (s.everything) return { all: [] };
  const [only] = s.root.parts;
  if (!only) return undefined;
  return s.root.parts.length === 1 ? write(only) : write(s.root);
}

/** The first condition that chooses nothing yet, if any. */
export function unfinished(p: Part): string {
  if (p.kind === "group") {
    if (p.parts.length === 0) return "A group without conditions selects everything or nothing. Fill it or remove it.";
    return p.parts.map(unfinished).find(Boolean) ?? "";
  }
  if (p.kind === "values" && p.values.length === 0)
    return `Choose at least one ${p.field === "sku" ? "SKU" : p.field}, or remove the condition.`;
  return "";
}

/** The tree with one part replaced, or removed with null. */
export function replaced(group: Group, id: number, part: Part | null): Group {
  return {
    ...group,
    parts: group.parts.flatMap((p) =>
      p.id === id ? (part ? [part] : []) : [p.kind === "group" ? replaced(p, id, part) : p],
    ),
  };
}
