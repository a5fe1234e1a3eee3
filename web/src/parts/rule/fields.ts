import type { Rule } from "../../api/client";
import { commaList, fromCommaList } from "../../lib/comma-list";
import { endAfter, lastOf } from "../../lib/format";
import { blankEffect, readEffect, writeEffect, type BreakForm, type EffectForm } from "./effect-form";
import { noOffer, noOrder, readOffer, readOrder, writeOffer, writeOrder } from "./offer-form";
import { readSelection, writeSelection, type Selection } from "./selection";

type Window = NonNullable<Rule["window"]>;
type Audience = NonNullable<Rule["audience"]>;
/** Where a field stands in the document of a rule. */
export type RulePath =
  Exclude<keyof Rule, "window" | "audience"> | `window.${keyof Window}` | `audience.${keyof Audience}`;

/** A part of a rule's document. Half-typed values go as they are: the core says what is wrong with them. */
type Part = Record<string, unknown>;

/**
 * One field of a rule in the editor: which keys of the document are its own, what the form holds of them, and what the
 * form says of them; write may look at what other fields hold. place is the control beside which its errors stand, words
 * what it is called where it has to be named.
 */
interface Field<Path extends RulePath, Place extends string, Held extends object, Seen extends object> {
  paths: readonly Path[];
  place: Place;
  words: string;
  read: (rule: Rule) => Held;
  write: (form: Seen) => Part;
}

const field = <const Path extends RulePath, const Place extends string, Held extends object, Seen extends object>(
  f: Field<Path, Place, Held, Seen>,
) => f;

const filled = (text: string, key: string): Part => (text.trim() ? { [key]: text.trim() } : {});
/** A text for people, with the blanks that it has. */
const said = (text: string, key: string): Part => (text.trim() ? { [key]: text } : {});
const filledList = (list: readonly unknown[], key: string): Part => (list.length > 0 ? { [key]: list } : {});
const some = (o: Part, key: string): Part => (Object.keys(o).length > 0 ? { [key]: o } : {});
const wholeOr = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : text.trim());
const yesNo = (b: boolean | undefined): "" | "yes" | "no" => (b === undefined ? "" : b ? "yes" : "no");

export type How = "effect" | "breaks" | "ladder" | "offer" | "order";
const howOf = (r: Rule): How =>
  r.effect ? "effect" : r.breaks ? "breaks" : r.ladder !== undefined ? "ladder" : r.order ? "order" : "offer";
// Offers and orders make no price of one piece: what shapes one does not go with them.
const shapesPrice = (f: { how: How }) => f.how !== "offer" && f.how !== "order";

/** The time of day of a moment, "" at midnight. */
const timeOf = (moment: string) => (moment.slice(11) === "00:00" ? "" : moment.slice(11));

/** One attribute of customers and the values that are wanted, with commas between them. */
export interface AttrForm {
  name: string;
  values: string;
}

type Measure = "quantity" | "spend" | "term" | "days" | "attr";

/** A text, of which "" is none. */
const textField = <
  const Key extends "name" | "note" | "campaign" | "currency" | "ladder" | "of",
  const Place extends string,
>(
  key: Key,
  place: Place,
  words: string,
  write: (text: string, how: How) => Part = (text) => filled(text, key),
) =>
  field({
    paths: [key],
    place,
    words,
    read: (r) => ({ [key]: r[key] ?? "" }) as Record<Key, string>,
    write: (f: Record<Key, string> & { how: How }) => write(f[key], f.how),
  });

/** One of several, of which the first is not said. */
const choiceField = <
  const Key extends "status" | "hireMatch" | "then" | "method",
  const Place extends string,
  const Choice extends string,
>(
  key: Key,
  place: Place,
  words: string,
  choices: readonly [Choice, ...Choice[]],
  goes: (how: How) => boolean = () => true,
) =>
  field({
    paths: [key],
    place,
    words,
    read: (r) => ({ [key]: choices.find((c: string) => c === r[key]) ?? choices[0] }) as Record<Key, Choice>,
    write: (f: Record<Key, Choice> & { how: How }): Part =>
      goes(f.how) && f[key] !== choices[0] ? { [key]: f[key] } : {},
  });

/** Codes of an audience, any of which is enough. */
const codesField = <const Key extends "groups" | "customers">(key: Key) =>
  field({
    paths: [`audience.${key}`],
    place: "audience",
    words: key,
    read: (r) => ({ [key]: r.audience?.[key] ?? [] }) as Record<Key, string[]>,
    write: (f: Record<Key, string[]>) => some(filledList(f[key], key), "audience"),
  });

/** What an audience asks for, or asks not to be, or does not ask. */
const askedField = <const Key extends "firstOrder" | "signedIn">(key: Key, words: string) =>
  field({
    paths: [`audience.${key}`],
    place: "audience",
    words,
    read: (r) => ({ [key]: yesNo(r.audience?.[key]) }) as Record<Key, "" | "yes" | "no">,
    write: (f: Record<Key, "" | "yes" | "no">) => some(f[key] ? { [key]: f[key] === "yes" } : {}, "audience"),
  });

/** A span that comes again each week or year. */
const spanField = <const Key extends "weekly" | "yearly">(key: Key) => {
  type Held = Record<`${Key}From` | `${Key}To`, string>;
  return field({
    paths: [`window.${key}`],
    place: key,
    words: `${key} span`,
    read: (r) => ({ [`${key}From`]: r.window?.[key]?.from ?? "", [`${key}To`]: r.window?.[key]?.to ?? "" }) as Held,
    write: (f: Held): Part => {
      const [from, to] = [f[`${key}From`], f[`${key}To`]];
      return from || to ? { window: { [key]: { from, to } } } : {};
    },
  });
};

export const fields = [
  field({
    paths: ["code"],
    place: "code",
    words: "code",
    read: (r) => ({ code: r.code }),
    write: (f: { code: string }) => ({ code: f.code }),
  }),
  textField("name", "name", "name", (text) => said(text, "name")),
  textField("note", "name", "note", (text) => said(text, "note")),
  field({
    paths: ["layer"],
    place: "rank",
    words: "layer",
    read: (r) => ({ layer: r.layer }),
    write: (f: { layer: Rule["layer"] }) => ({ layer: f.layer }),
  }),
  field({
    paths: ["rank"],
    place: "rank",
    words: "rank",
    read: (r) => ({ rank: String(r.rank) }),
    write: (f: { rank: string }) => ({ rank: wholeOr(f.rank) }),
  }),
  choiceField("status", "name", "state", ["on", "off", "draft"]),
  textField("campaign", "campaign", "campaign"),
  field({
    paths: ["where"],
    place: "where",
    words: "goods",
    read: (r) => ({ selection: readSelection(r.where) }),
    write: (f: { selection: Selection }) => {
      const where = writeSelection(f.selection);
      return where ? { where } : {};
    },
  }),
  field({
    paths: ["window.from"],
    place: "from",
    words: "beginning",
    read: ({ window: { from = "" } = {} }) => ({ fromDate: from.slice(0, 10), fromTime: timeOf(from) }),
    write: (f: { fromDate: string; fromTime: string }) =>
      f.fromDate ? { window: { from: `${f.fromDate}T${f.fromTime || "00:00"}` } } : {},
  }),
  field({
    paths: ["window.to"],
    place: "to",
    words: "end",
    read: (r) => {
      const last = lastOf(r.window?.to ?? "");
      return { toDate: last.date, toTime: last.time };
    },
    write: (f: { toDate: string; toTime: string }) =>
      f.toDate ? { window: { to: endAfter(f.toDate, f.toTime) } } : {},
  }),
  field({
    paths: ["window.days"],
    place: "days",
    words: "weekdays",
    read: (r): { days: string[] } => ({ days: r.window?.days ?? [] }),
    write: (f: { days: string[] }) => some(filledList(f.days, "days"), "window"),
  }),
  field({
    paths: ["window.hours"],
    place: "hours",
    words: "hours",
    read: (r) => ({ hoursFrom: r.window?.hours?.[0] ?? "", hoursTo: r.window?.hours?.[1] ?? "" }),
    write: (f: { hoursFrom: string; hoursTo: string }) =>
      f.hoursFrom || f.hoursTo ? { window: { hours: [f.hoursFrom.trim(), f.hoursTo.trim()] } } : {},
  }),
  spanField("weekly"),
  spanField("yearly"),
  codesField("groups"),
  codesField("customers"),
  field({
    paths: ["audience.countries"],
    place: "audience",
    words: "countries",
    read: (r) => ({ countries: commaList(r.audience?.countries ?? []) }),
    write: (f: { countries: string }) => some(filledList(fromCommaList(f.countries), "countries"), "audience"),
  }),
  field({
    paths: ["audience.customerAttr"],
    place: "audience",
    words: "attributes of customers",
    read: (r): { attrs: AttrForm[] } => ({
      attrs: Object.entries(r.audience?.customerAttr ?? {}).map(([name, values]) => ({
        name,
        values: commaList(values),
      })),
    }),
    write: (f: { attrs: AttrForm[] }) =>
      some(
        some(
          Object.fromEntries(f.attrs.filter((a) => a.name.trim()).map((a) => [a.name.trim(), fromCommaList(a.values)])),
          "customerAttr",
        ),
        "audience",
      ),
  }),
  askedField("firstOrder", "first order"),
  askedField("signedIn", "signed in"),
  field({
    paths: ["channels"],
    place: "channels",
    words: "channels",
    read: (r): { channels: string[] | null } => ({ channels: r.channels ?? null }),
    write: (f: { channels: string[] | null }) => (f.channels ? { channels: f.channels } : {}),
  }),
  field({
    paths: ["minQuantity"],
    place: "minQuantity",
    words: "least quantity",
    read: (r) => ({ minQuantity: String(r.minQuantity ?? 1) }),
    write: (f: { minQuantity: string }) =>
      f.minQuantity.trim() === "1" ? {} : { minQuantity: wholeOr(f.minQuantity) },
  }),
  textField("currency", "currency", "currency"),
  choiceField("hireMatch", "from", "which hires", ["days", "inside", "any"]),
  choiceField("then", "then", "what it ends", ["", "end-layer", "end-price"]),
  field({
    paths: ["effect"],
    place: "effect",
    words: "effect",
    read: (r) => ({ how: howOf(r), effect: r.effect ? readEffect(r.effect) : blankEffect }),
    write: (f: { how: How; effect: EffectForm }) => (f.how === "effect" ? { effect: writeEffect(f.effect) } : {}),
  }),
  field({
    paths: ["breaks"],
    place: "breaks",
    words: "breaks",
    read: (r): { breaks: BreakForm[] } => ({
      breaks: (r.breaks ?? []).map((b) => ({ from: String(b.from), effect: readEffect(b) })),
    }),
    write: (f: { how: How; breaks: BreakForm[]; measure: Measure }) => {
      const fractions = f.measure === "spend" || f.measure === "attr";
      const from = (text: string) => (fractions && !/^\d+$/.test(text.trim()) ? text.trim() : wholeOr(text));
      return f.how === "breaks"
        ? { breaks: f.breaks.map((b) => ({ from: from(b.from), ...writeEffect(b.effect) })) }
        : {};
    },
  }),
  choiceField("method", "method", "bracket by bracket or not", ["whole", "graduated"], (how) => how === "breaks"),
  field({
    paths: ["count"],
    place: "count",
    words: "what is counted",
    read: (r): { count: "line" | "style" | "selection" | "basket" | "where"; counted: Selection } =>
      typeof r.count === "object"
        ? { count: "where", counted: readSelection(r.count.where) }
        : { count: r.count ?? "line", counted: readSelection(undefined) },
    write: (f: { how: How; count: string; counted: Selection }) => {
      if (f.how !== "breaks" || f.count === "line") return {};
      return { count: f.count === "where" ? { where: writeSelection(f.counted) ?? { any: [] } } : f.count };
    },
  }),
  field({
    paths: ["measure"],
    place: "measure",
    words: "measure of the breaks",
    read: ({ measure = "quantity" }): { measure: Measure; measured: string } =>
      measure.startsWith("attr:")
        ? { measure: "attr", measured: measure.slice(5) }
        : { measure: measure as Measure, measured: "" },
    write: (f: { how: How; measure: Measure; measured: string }) =>
      f.how === "breaks" && f.measure !== "quantity"
        ? { measure: f.measure === "attr" ? `attr:${f.measured}` : f.measure }
        : {},
  }),
  field({
    paths: ["historyDays"],
    place: "historyDays",
    words: "days before that count",
    read: (r) => ({ historyDays: r.historyDays ? String(r.historyDays) : "" }),
    write: (f: { how: How; historyDays: string }) =>
      f.how === "breaks" && f.historyDays.trim() ? { historyDays: wholeOr(f.historyDays) } : {},
  }),
  textField("ladder", "ladder", "ladder", (ladder, how) => (how === "ladder" ? { ladder } : {})),
  field({
    paths: ["offer"],
    place: "offer",
    words: "deal",
    read: (r) => ({ offer: r.offer ? readOffer(r.offer) : noOffer }),
    write: (f: { how: How; offer: typeof noOffer }) => (f.how === "offer" ? { offer: writeOffer(f.offer) } : {}),
  }),
  field({
    paths: ["order"],
    place: "order",
    words: "limit of orders",
    read: (r) => ({ order: r.order ? readOrder(r.order) : noOrder }),
    write: (f: { how: How; order: typeof noOrder }) => (f.how === "order" ? { order: writeOrder(f.order) } : {}),
  }),
  textField("of", "of", "what it is reckoned from", (of, how) => (shapesPrice({ how }) ? filled(of, "of") : {})),
  field({
    paths: ["on"],
    place: "on",
    words: "parts of the price",
    read: (r): { on: string[] } => ({ on: r.on ?? ["base"] }),
    write: (f: { how: How; on: string[] }) => (shapesPrice(f) && f.on.join() !== "base" ? { on: f.on } : {}),
  }),
  field({
    paths: ["ending"],
    place: "ending",
    words: "ending",
    read: ({ ending }) => ({
      /** Whether there is an ending: its blanks may be empty while they are written. */
      ends: ending !== undefined,
      step: ending?.step ?? "",
      direction: ending?.direction ?? ("nearest" as const),
      shift: ending?.shift ?? "",
    }),
    write: (f: { how: How; ends: boolean; step: string; direction: "nearest" | "up" | "down"; shift: string }) =>
      shapesPrice(f) && f.ends
        ? {
            ending: {
              step: f.step.trim(),
              ...(f.direction !== "nearest" && { direction: f.direction }),
              ...filled(f.shift, "shift"),
            },
          }
        : {},
  }),
  field({
    paths: ["maxOff"],
    place: "maxOff",
    words: "most that it takes off",
    read: ({ maxOff: m }): { maxOffBy: "" | "percent" | "amount"; maxOff: string } => ({
      maxOffBy: m?.percent !== undefined ? "percent" : m?.amount !== undefined ? "amount" : "",
      maxOff: m?.percent ?? m?.amount ?? "",
    }),
    write: (f: { how: How; maxOffBy: string; maxOff: string }) =>
      shapesPrice(f) && f.maxOffBy ? { maxOff: { [f.maxOffBy]: f.maxOff.trim() } } : {},
  }),
  field({
    paths: ["floor"],
    place: "floor",
    words: "floor",
    read: ({
      floor: l,
    }): { floorBy: "" | "amount" | "margin" | "cost" | "level"; floor: string; floorFee: boolean } => ({
      floorBy: l?.cost
        ? "cost"
        : l?.margin !== undefined
          ? "margin"
          : l?.amount !== undefined
            ? "amount"
            : l?.level !== undefined
              ? "level"
              : "",
      floor: l?.margin ?? l?.amount ?? l?.level ?? "",
      /** Whether the channel's fee is to be earned, too: beside a margin or the cost. */
      floorFee: l?.withFee ?? false,
    }),
    write: (f: { how: How; floorBy: string; floor: string; floorFee: boolean }) =>
      shapesPrice(f) && f.floorBy
        ? {
            floor: {
              ...(f.floorBy === "cost"
                ? { cost: true }
                : { [f.floorBy]: f.floorBy === "level" ? f.floor : f.floor.trim() }),
              ...(f.floorFee && (f.floorBy === "cost" || f.floorBy === "margin") && { withFee: true }),
            },
          }
        : {},
  }),
  field({
    paths: ["mayRaise"],
    place: "mayRaise",
    words: "whether it may raise",
    read: (r) => ({ mayRaise: r.mayRaise ?? false }),
    write: (f: { how: How; mayRaise: boolean }) => (shapesPrice(f) && f.mayRaise ? { mayRaise: true } : {}),
  }),
  field({
    paths: ["show"],
    place: "show",
    words: "public texts",
    read: ({ show: s }) => ({
      show: {
        label: s?.label ?? "",
        message: s?.message ?? "",
        badge: s?.badge ?? "",
        image: s?.image ?? "",
        alt: s?.alt ?? "",
        terms: s?.terms ?? "",
        as: s?.as ?? ("" as const),
      },
    }),
    write: (f: { show: Record<string, string> }) =>
      some(Object.fromEntries(Object.entries(f.show).filter(([, v]) => v.trim() !== "")), "show"),
  }),
  field({
    paths: ["liveTags"],
    place: "liveTags",
    words: "tags while it is live",
    read: ({ liveTags: t }) => ({ tagsAdd: commaList(t?.add ?? []), tagsRemove: commaList(t?.remove ?? []) }),
    write: (f: { tagsAdd: string; tagsRemove: string }) =>
      some(
        { ...filledList(fromCommaList(f.tagsAdd), "add"), ...filledList(fromCommaList(f.tagsRemove), "remove") },
        "liveTags",
      ),
  }),
] as const;

type Fields = (typeof fields)[number];
type Together<U> = (U extends unknown ? (u: U) => void : never) extends (all: infer All) => void ? All : never;

/** A rule as the editor holds it: what each of its fields holds. */
export type FieldsForm = Together<ReturnType<Fields["read"]>>;
export type Place = Fields["place"] | "other";

// A key of the schema that no field has would be kept, and never seen: the types say which it is.
type Unowned = Exclude<RulePath, Fields["paths"][number]>;
export const everyKeyHasAField: [Unowned] extends [never] ? true : Unowned = true;

/** The field that a path of the document, such as "breaks[1].from", belongs to. */
export const fieldAt = (path: string): Fields | undefined =>
  fields.find((f) => f.paths.some((p) => path === p || (path.startsWith(p) && /^[.[]/.test(path.slice(p.length)))));
