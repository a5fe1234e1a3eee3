import type { DocError, Rule } from "../../api/client";
import { patched, unshown } from "../../lib/patch";
import { newBreak } from "./effect-form";
import { fieldAt, fields, type FieldsForm, type Place } from "./fields";
import { lacksOf, writeOrder } from "./offer-form";
import { readSelection, unfinished } from "./selection";

export { newBreak, type EffectForm, type EffectKind } from "./effect-form";
export type { Place } from "./fields";

/** A rule as the editor holds it, and the document of which it was read: what the form cannot show of that stays. */
export interface Form extends FieldsForm {
  was: Rule | null;
}

const readFields = (rule: Rule): FieldsForm => {
  const form = {};
  for (const f of fields) Object.assign(form, f.read(rule));
  return form as FieldsForm;
};

/** What the fields say. A value that is no number goes as it was typed: the core says what is wrong with it. */
function writeFields(form: FieldsForm): Rule {
  const doc: Record<string, unknown> = {};
  for (const f of fields)
    for (const [key, value] of Object.entries(f.write(form)))
      // Windows and audiences are of several fields.
      doc[key] = key === "window" || key === "audience" ? { ...(doc[key] as object), ...(value as object) } : value;
  return doc as unknown as Rule;
}

export const readForm = (rule: Rule): Form => ({ ...readFields(rule), was: rule });

/** The rule that the form says: what was changed in it is changed in the document, and nothing else. */
export const writeForm = (form: Form): Rule =>
  form.was ? (patched(form.was, writeFields(readFields(form.was)), writeFields(form)) as Rule) : writeFields(form);

/** What the form cannot show of its rule, and keeps. */
export const keptIn = (form: Form) =>
  form.was
    ? unshown(form.was, writeFields(readFields(form.was))).map(({ path, value }) => ({
        words: fieldAt(path)?.words ?? path,
        place: placeOf(path),
        value,
      }))
    : [];

export const emptyForm = (layer: Rule["layer"], rank: number): Form => ({
  ...readFields({ code: "", layer, rank, where: { all: [] }, effect: { percentOff: "" } }),
  ...(layer === "tier" && { how: "breaks" as const, breaks: [newBreak("6")] }),
  selection: readSelection(undefined),
  was: null,
});

/** The control that an error belongs to. */
export const placeOf = (path: string): Place => {
  const found = fieldAt(path)?.place;
  if (found) return found;
  return path.startsWith("window") ? "from" : path.startsWith("audience") ? "audience" : "other";
};

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
    const empty = place === "effect" && f.effect.value.trim() === "" && !e.path.endsWith(".from");
    map.set(place, known ? known[1] : empty ? "Write how much." : upper(e.problem) + ".");
  }
  if (f.toTime && !f.toDate) map.set("to", "A time of day needs a date.");
  if (f.fromTime && !f.fromDate) map.set("from", "A time of day needs a date.");
  if (!f.selection.everything && f.selection.root.parts.length > 0) {
    const open = unfinished(f.selection.root);
    if (open) map.set("where", open);
  }
  if (f.ends && f.step.trim() === "") map.set("ending", "Write the step of the ending, such as 1 or 0.05.");
  if (f.how === "offer") {
    const [lack] = lacksOf(f.offer).values();
    if (lack) map.set("offer", lack);
  }
  if (f.how === "order" && Object.keys(writeOrder(f.order)).length === 0)
    map.set("order", "Say the least, the multiple or the most of an order.");
  if (f.show.image !== "" && f.show.alt.trim() === "") map.set("show", "Say what the image shows.");
  if (f.how === "ladder" && f.ladder === "") map.set("ladder", "Choose a ladder.");
  if (f.how === "breaks" && f.breaks.length === 0) map.set("breaks", "Add a break.");
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
      .replace(/^-+/, "")
      .slice(0, 28) || "RULE";
  let code = base;
  for (let n = 2; taken.has(code); n++) code = `${base}-${n}`;
  return code;
}
