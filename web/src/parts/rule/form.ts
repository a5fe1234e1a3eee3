import type { Break, DocError, Effect, Rule } from "../../api/client";
import { endAfter, lastOf } from "../../lib/format";
import {
  lacksOf,
  noOffer,
  noOrder,
  readOffer,
  readOrder,
  writeOffer,
  writeOrder,
  type OfferForm,
  type OrderForm,
} from "./offer-form";
import { readSelection, unfinished, writeSelection, type Selection } from "./selection";

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
] as const;
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

/** A rule as the editor holds it. rest keeps every key that the editor has no control for. */
export interface Form {
  code: string;
  name: string;
  note: string;
  layer: Rule["layer"];
  rank: string;
  status: "on" | "off" | "draft";
  campaign: string;
  how: "effect" | "breaks" | "ladder" | "offer" | "order";
  offer: OfferForm;
  order: OrderForm;
  effect: EffectForm;
  breaks: BreakForm[];
  ladder: string;
  method: "whole" | "graduated";
  count: "line" | "style" | "selection" | "basket" | "where";
  counted: Selection;
  measure: "quantity" | "spend" | "term" | "days" | "attr";
  measured: string;
  historyDays: string;
  of: string;
  on: string[];
  /** Whether there is an ending: its blanks may be empty while they are written. */
  ends: boolean;
  step: string;
  direction: "nearest" | "up" | "down";
  shift: string;
  maxOffBy: "" | "percent" | "amount";
  maxOff: string;
  floorBy: "" | "amount" | "margin" | "cost";
  floor: string;
  mayRaise: boolean;
  then: "" | "end-layer" | "end-price";
  currency: string;
  minQuantity: string;
  hireMatch: "days" | "inside" | "any";
  selection: Selection;
  channels: string[] | null;
  groups: string[];
  customers: string[];
  countries: string;
  firstOrder: "" | "yes" | "no";
  signedIn: "" | "yes" | "no";
  attrName: string;
  attrValues: string;
  fromDate: string;
  fromTime: string;
  toDate: string;
  toTime: string;
  days: string[];
  hoursFrom: string;
  hoursTo: string;
  weeklyFrom: string;
  weeklyTo: string;
  yearlyFrom: string;
  yearlyTo: string;
  show: { label: string; message: string; badge: string; image: string; alt: string; terms: string; as: string };
  tagsAdd: string;
  tagsRemove: string;
  rest: Record<string, unknown>;
}

const blankEffect: EffectForm = {
  kind: "percentOff",
  value: "",
  from: "",
  basis: "net",
  min: "",
  max: "",
  counts: "basket",
};
export const newBreak = (from: string): BreakForm => ({ from, effect: blankEffect });

function readEffect(e: Effect | Break): EffectForm {
  const kind = effectKinds.find((k) => e[k] !== undefined) ?? "percentOff";
  if (kind === "derive" && e.derive) {
    const d = e.derive;
    return {
      kind,
      value: d.percent,
      from: d.from,
      basis: d.basis ?? "net",
      min: d.min ?? "",
      max: d.max ?? "",
      counts: d.counts ?? "basket",
    };
  }
  return { ...blankEffect, kind, value: kind === "derive" ? "" : (e[kind] ?? "") };
}

const filled = (text: string, key: string) => (text.trim() ? { [key]: text.trim() } : {});

function writeEffect(e: EffectForm): Effect {
  if (e.kind !== "derive") return { [e.kind]: e.value.trim() };
  return {
    derive: {
      from: e.from.trim(),
      ...(e.basis !== "net" && { basis: e.basis }),
      percent: e.value.trim(),
      ...filled(e.min, "min"),
      ...filled(e.max, "max"),
      ...(e.counts !== "basket" && { counts: e.counts }),
    },
  };
}

const edited = new Set([
  ...["code", "layer", "rank", "name", "note", "status", "campaign", "where", "window", "audience", "channels"],
  ...["minQuantity", "currency", "then", "effect", "breaks", "ladder", "method", "count", "measure", "historyDays"],
  ...["of", "on", "ending", "maxOff", "floor", "mayRaise", "show", "liveTags", "offer", "order", "hireMatch"],
]);

const yesNo = (b: boolean | undefined): "" | "yes" | "no" => (b === undefined ? "" : b ? "yes" : "no");
const texts = (text: string) =>
  text
    .split(",")
    .map((t) => t.trim())
    .filter(Boolean);

export function readForm(rule: Rule): Form {
  const last = lastOf(rule.window?.to ?? "");
  const from = rule.window?.from ?? "";
  const w = rule.window;
  const a = rule.audience;
  const countedWhere = typeof rule.count === "object" && rule.count !== null ? rule.count : null;
  const measure = rule.measure ?? "quantity";
  const [attr] = Object.entries(a?.customerAttr ?? {});
  return {
    code: rule.code,
    name: rule.name ?? "",
    note: rule.note ?? "",
    layer: rule.layer,
    rank: String(rule.rank),
    status: rule.status ?? "on",
    campaign: rule.campaign ?? "",
    how: rule.effect ? "effect" : rule.breaks ? "breaks" : rule.ladder ? "ladder" : rule.order ? "order" : "offer",
    offer: rule.offer ? readOffer(rule.offer) : noOffer,
    order: rule.order ? readOrder(rule.order) : noOrder,
    hireMatch: rule.hireMatch ?? "days",
    effect: rule.effect ? readEffect(rule.effect) : blankEffect,
    breaks: (rule.breaks ?? []).map((b) => ({ from: String(b.from), effect: readEffect(b) })),
    ladder: rule.ladder ?? "",
    method: rule.method ?? "whole",
    count: countedWhere ? "where" : ((rule.count as Form["count"] | undefined) ?? "line"),
    counted: readSelection(countedWhere?.where),
    measure: measure.startsWith("attr:") ? "attr" : (measure as Form["measure"]),
    measured: measure.startsWith("attr:") ? measure.slice(5) : "",
    historyDays: rule.historyDays ? String(rule.historyDays) : "",
    of: rule.of ?? "",
    on: rule.on ?? ["base"],
    ends: rule.ending !== undefined,
    step: rule.ending?.step ?? "",
    direction: rule.ending?.direction ?? "nearest",
    shift: rule.ending?.shift ?? "",
    maxOffBy: rule.maxOff?.percent !== undefined ? "percent" : rule.maxOff?.amount !== undefined ? "amount" : "",
    maxOff: rule.maxOff?.percent ?? rule.maxOff?.amount ?? "",
    floorBy: rule.floor?.cost
      ? "cost"
      : rule.floor?.margin !== undefined
        ? "margin"
        : rule.floor?.amount !== undefined
          ? "amount"
          : "",
    floor: rule.floor?.margin ?? rule.floor?.amount ?? "",
    mayRaise: rule.mayRaise ?? false,
    then: rule.then ?? "",
    currency: rule.currency ?? "",
    minQuantity: String(rule.minQuantity ?? 1),
    selection: readSelection(rule.where),
    channels: rule.channels ?? null,
    groups: a?.groups ?? [],
    customers: a?.customers ?? [],
    countries: (a?.countries ?? []).join(", "),
    firstOrder: yesNo(a?.firstOrder),
    signedIn: yesNo(a?.signedIn),
    attrName: attr?.[0] ?? "",
    attrValues: (attr?.[1] ?? []).join(", "),
    fromDate: from.slice(0, 10),
    fromTime: from.slice(11, 16) === "00:00" ? "" : from.slice(11, 16),
    toDate: last.date,
    toTime: last.time,
    days: w?.days ?? [],
    hoursFrom: w?.hours?.[0] ?? "",
    hoursTo: w?.hours?.[1] ?? "",
    weeklyFrom: w?.weekly?.from ?? "",
    weeklyTo: w?.weekly?.to ?? "",
    yearlyFrom: w?.yearly?.from ?? "",
    yearlyTo: w?.yearly?.to ?? "",
    show: {
      label: rule.show?.label ?? "",
      message: rule.show?.message ?? "",
      badge: rule.show?.badge ?? "",
      image: rule.show?.image ?? "",
      alt: rule.show?.alt ?? "",
      terms: rule.show?.terms ?? "",
      as: rule.show?.as ?? "",
    },
    tagsAdd: (rule.liveTags?.add ?? []).join(", "),
    tagsRemove: (rule.liveTags?.remove ?? []).join(", "),
    rest: Object.fromEntries(Object.entries(rule).filter(([k]) => !edited.has(k))),
  };
}

export const emptyForm = (layer: Rule["layer"], rank: number): Form => ({
  ...readForm({ code: "", layer, rank, where: { all: [] }, effect: { percentOff: "" } }),
  ...(layer === "tier" && { how: "breaks" as const, breaks: [newBreak("6")] }),
  selection: readSelection(undefined),
});

const wholeOr = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : text.trim());
const some = (o: Record<string, unknown>, key: string) => (Object.keys(o).length > 0 ? { [key]: o } : {});

function writeWindow(f: Form) {
  return {
    ...(f.fromDate && { from: `${f.fromDate}T${f.fromTime || "00:00"}` }),
    ...(f.toDate && { to: endAfter(f.toDate, f.toTime) }),
    ...(f.days.length > 0 && { days: f.days }),
    ...((f.hoursFrom || f.hoursTo) && { hours: [f.hoursFrom.trim(), f.hoursTo.trim()] }),
    ...((f.weeklyFrom || f.weeklyTo) && { weekly: { from: f.weeklyFrom, to: f.weeklyTo } }),
    ...((f.yearlyFrom || f.yearlyTo) && { yearly: { from: f.yearlyFrom, to: f.yearlyTo } }),
  };
}

function writeAudience(f: Form) {
  return {
    ...(f.groups.length > 0 && { groups: f.groups }),
    ...(f.customers.length > 0 && { customers: f.customers }),
    ...(f.countries.trim() && { countries: texts(f.countries) }),
    ...(f.attrName.trim() && { customerAttr: { [f.attrName.trim()]: texts(f.attrValues) } }),
    ...(f.firstOrder && { firstOrder: f.firstOrder === "yes" }),
    ...(f.signedIn && { signedIn: f.signedIn === "yes" }),
  };
}

function writeHow(f: Form) {
  const fractions = f.measure === "spend" || f.measure === "attr";
  switch (f.how) {
    case "effect":
      return { effect: writeEffect(f.effect) };
    case "ladder":
      return { ladder: f.ladder };
    case "offer":
      return { offer: writeOffer(f.offer) };
    case "order":
      return { order: writeOrder(f.order) };
    case "breaks": {
      const counted = writeSelection(f.counted);
      return {
        breaks: f.breaks.map((b) => ({
          from: fractions && !/^\d+$/.test(b.from.trim()) ? b.from.trim() : wholeOr(b.from),
          ...writeEffect(b.effect),
        })),
        ...(f.method !== "whole" && { method: f.method }),
        ...(f.count !== "line" && { count: f.count === "where" ? { where: counted ?? { any: [] } } : f.count }),
        ...(f.measure !== "quantity" && { measure: f.measure === "attr" ? `attr:${f.measured}` : f.measure }),
        ...(f.historyDays.trim() && { historyDays: wholeOr(f.historyDays) }),
      };
    }
  }
}

/** The rule that the form says. A field that is no number goes as it was typed: the core says what is wrong with it. */
export function writeForm(f: Form): Rule {
  const where = writeSelection(f.selection);
  const show = Object.fromEntries(Object.entries(f.show).filter(([, v]) => v.trim() !== ""));
  const base = f.on.length === 1 && f.on[0] === "base";
  // Offers and orders make no price of one piece: what shapes one does not go with them.
  const prices = f.how !== "offer" && f.how !== "order";
  return {
    ...f.rest,
    code: f.code,
    layer: f.layer,
    rank: wholeOr(f.rank),
    ...filled(f.name, "name"),
    ...filled(f.note, "note"),
    ...(f.status !== "on" && { status: f.status }),
    ...filled(f.campaign, "campaign"),
    ...(where && { where }),
    ...some(writeWindow(f), "window"),
    ...some(writeAudience(f), "audience"),
    ...(f.channels && { channels: f.channels }),
    ...(f.minQuantity.trim() !== "1" && { minQuantity: wholeOr(f.minQuantity) }),
    ...filled(f.currency, "currency"),
    ...(f.hireMatch !== "days" && { hireMatch: f.hireMatch }),
    ...(f.then && { then: f.then }),
    ...writeHow(f),
    ...(prices && writeShaping(f, base)),
    ...some(show, "show"),
    ...some(
      {
        ...(f.tagsAdd.trim() && { add: texts(f.tagsAdd) }),
        ...(f.tagsRemove.trim() && { remove: texts(f.tagsRemove) }),
      },
      "liveTags",
    ),
  } as Rule;
}

function writeShaping(f: Form, base: boolean) {
  return {
    ...filled(f.of, "of"),
    ...(!base && { on: f.on }),
    ...(f.ends && {
      ending: {
        step: f.step.trim(),
        ...(f.direction !== "nearest" && { direction: f.direction }),
        ...filled(f.shift, "shift"),
      },
    }),
    ...(f.maxOffBy && { maxOff: { [f.maxOffBy]: f.maxOff.trim() } }),
    ...(f.floorBy && { floor: f.floorBy === "cost" ? { cost: true } : { [f.floorBy]: f.floor.trim() } }),
    ...(f.mayRaise && { mayRaise: true }),
  };
}

const places = [
  ...["name", "code", "rank", "effect", "breaks", "ladder", "method", "count", "measure", "historyDays", "where"],
  ...["channels", "audience", "campaign", "minQuantity", "currency", "then", "ending", "maxOff", "floor", "of", "on"],
  ...["from", "to", "days", "hours", "weekly", "yearly", "mayRaise", "show", "liveTags", "offer", "order", "other"],
] as const;
export type Place = (typeof places)[number];

const isPlace = (text: string): text is Place => (places as readonly string[]).includes(text);

/** The control that an error belongs to. */
export function placeOf(path: string): Place {
  const [head = "", second = ""] = path.split(/[.[]/);
  if (head === "window") {
    const part = second.replace(/\].*/, "");
    return isPlace(part) ? part : "from";
  }
  return isPlace(head) ? head : "other";
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
