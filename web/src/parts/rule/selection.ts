import type { Bounds, Where } from "../../api/client";
import { commaList, fromCommaList } from "../../lib/comma-list";
import { alike } from "../../lib/patch";
import { listOf } from "../../lib/sentence";

export const valueFields = [
  "sku",
  "category",
  "brand",
  "tag",
  "range",
  "style",
  "supplier",
  "type",
  "taxClass",
] as const;
export type ValueField = (typeof valueFields)[number];
export const numberFields = ["list", "cost", "stock", "sold", "rating"] as const;
export type NumberField = (typeof numberFields)[number];

/** A selection as the builder edits it. */
export type Part =
  | { kind: "group"; id: number; mode: "all" | "any"; not: boolean; parts: Part[] }
  // What is being read is not what the text says yet.
  | {
      kind: "values";
      id: number;
      field: ValueField;
      not: boolean;
      values: string[];
      unknown?: string[] | undefined;
      reading?: boolean | undefined;
    }
  | { kind: "number"; id: number; field: NumberField; not: boolean; min: string; max: string }
  | { kind: "attr"; id: number; not: boolean; name: string; values: string; min: string; max: string }
  | { kind: "reduced"; id: number; not: boolean; reduced: boolean }
  | { kind: "other"; id: number; not: boolean; doc: Where };

export type Group = Extract<Part, { kind: "group" }>;

/** What the whole builder holds: everything, on purpose, or a group of conditions. */
export interface Selection {
  everything: boolean;
  root: Group;
}

// A draft outlives the page that numbered its conditions: the next page numbers from elsewhere on.
let next = Math.floor(Math.random() * 2 ** 48);
export const newId = () => next++;
export const newGroup = (mode: "all" | "any" = "any"): Group => ({
  kind: "group",
  id: newId(),
  mode,
  not: false,
  parts: [],
});
export const newValues = (field: ValueField, values: string[] = []): Part => ({
  kind: "values",
  id: newId(),
  field,
  not: false,
  values,
});
export const newNumber = (field: NumberField): Part => ({
  kind: "number",
  id: newId(),
  field,
  not: false,
  min: "",
  max: "",
});
export const newAttr = (): Part => ({ kind: "attr", id: newId(), not: false, name: "", values: "", min: "", max: "" });
export const newReduced = (): Part => ({ kind: "reduced", id: newId(), not: false, reduced: false });

function readAttr(w: Where, id: number, not: boolean): Part | undefined {
  const [entry, ...more] = Object.entries(w.attr ?? {});
  if (!entry || more.length > 0) return undefined;
  const [name, test] = entry;
  if (typeof test === "object" && !Array.isArray(test)) {
    return { kind: "attr", id, not, name, values: "", min: `${test.min ?? ""}`, max: `${test.max ?? ""}` };
  }
  return { kind: "attr", id, not, name, values: commaList(listOf(test)), min: "", max: "" };
}

/** A condition as the builder shows it; one that it cannot show whole is kept as it is. */
function read(w: Where, not: boolean): Part {
  const part = shown(w, not);
  return alike(plainly(write(part)), plainly(not ? { not: w } : w))
    ? part
    : { kind: "other", id: part.id, not, doc: w };
}

/** A condition with one of several forms in which a file may write it: a list of one as that one, numbers as texts. */
function plainly(value: unknown): unknown {
  if (Array.isArray(value)) return value.length === 1 ? plainly(value[0]) : value.map(plainly);
  if (typeof value === "number") return String(value);
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, plainly(v)]));
}

function shown(w: Where, not: boolean): Part {
  const id = newId();
  if (w.not && !not) return read(w.not, true);
  if (w.all) return { kind: "group", id, mode: "all", not, parts: w.all.map((p) => read(p, false)) };
  if (w.any) return { kind: "group", id, mode: "any", not, parts: w.any.map((p) => read(p, false)) };
  for (const field of valueFields)
    if (w[field] !== undefined) return { kind: "values", id, field, not, values: listOf(w[field]) };
  for (const field of numberFields) {
    const b = w[field];
    if (b) return { kind: "number", id, field, not, min: `${b.min ?? ""}`, max: `${b.max ?? ""}` };
  }
  if (w.reduced !== undefined) return { kind: "reduced", id, not, reduced: w.reduced };
  return readAttr(w, id, not) ?? { kind: "other", id, not, doc: w };
}

export function readSelection(w: Where | undefined): Selection {
  if (!w) return { everything: false, root: newGroup("all") };
  if (w.all?.length === 0) return { everything: true, root: newGroup("all") };
  const part = read(w, false);
  // A group of one is written as that one, an empty one as nothing: inside another they stay what they are.
  if (part.kind === "group" && !part.not && part.parts.length > 1) return { everything: false, root: part };
  return { everything: false, root: { ...newGroup("all"), parts: [part] } };
}

/** As the document writes alternatives: one stands alone. */
const oneOrMany = (values: string[]) => (values.length === 1 ? (values[0] ?? "") : values);

const bounds = (min: string, max: string): Bounds => ({
  ...(min.trim() && { min: min.trim() }),
  ...(max.trim() && { max: max.trim() }),
});

function write(p: Part): Where {
  let w: Where;
  switch (p.kind) {
    case "group":
      w = p.mode === "all" ? { all: p.parts.map(write) } : { any: p.parts.map(write) };
      break;
    case "values":
      w = { [p.field]: oneOrMany(p.values) };
      break;
    case "number":
      w = { [p.field]: bounds(p.min, p.max) };
      break;
    case "attr": {
      const values = fromCommaList(p.values);
      w = { attr: { [p.name]: values.length > 0 ? oneOrMany(values) : bounds(p.min, p.max) } };
      break;
    }
    case "reduced":
      w = { reduced: p.reduced };
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
  switch (p.kind) {
    case "group":
      if (p.parts.length === 0)
        return "A group without conditions selects everything or nothing. Fill it or remove it.";
      return p.parts.map(unfinished).find(Boolean) ?? "";
    case "values":
      if (p.reading) return "The SKUs are not read yet: wait a moment.";
      return p.values.length === 0
        ? `Choose at least one ${p.field === "sku" ? "SKU" : fieldWords[p.field]}, or remove the condition.`
        : "";
    case "attr":
      if (p.name === "") return "Choose an attribute, or remove the condition.";
      return p.values.trim() + p.min.trim() + p.max.trim() === "" ? `Say what ${p.name} must be.` : "";
    case "number":
      return p.min.trim() + p.max.trim() === "" ? `Say from or to which ${fieldWords[p.field]}.` : "";
  }
  return "";
}

export const fieldWords: Record<ValueField | NumberField, string> = {
  sku: "SKU",
  category: "category",
  brand: "brand",
  tag: "tag",
  range: "range",
  style: "style",
  supplier: "supplier",
  type: "type",
  taxClass: "tax class",
  list: "list price",
  cost: "cost",
  stock: "stock",
  sold: "units sold",
  rating: "rating",
};

/** The tree with one part replaced, or removed with null. */
export function replaced(group: Group, id: number, part: Part | null): Group {
  return {
    ...group,
    parts: group.parts.flatMap((p) =>
      p.id === id ? (part ? [part] : []) : [p.kind === "group" ? replaced(p, id, part) : p],
    ),
  };
}
