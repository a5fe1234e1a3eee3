import { format, isValid, parse, subDays } from "date-fns";
import type { Bounds, Effect, ItemKind, Rule, Unmet, Where } from "../api/client";
import { amount, day, through } from "./format";

/** What the codes of a book are called; a code without a name stands for itself. */
export type Names = (kind: ItemKind, code: string) => string;

export const byCode: Names = (_, code) => code;

/** A rule in words: what, on which goods, where, when. */
export interface Sentence {
  what: string;
  goods: string;
  whom: string;
  where: string;
  when: string;
}

export const listOf = (value: unknown): string[] =>
  Array.isArray(value) ? value.map(String) : typeof value === "string" ? [value] : [];

const some = (names: string[], most = 3) =>
  names.length <= most
    ? joined(names, "or")
    : `${names.slice(0, most - 1).join(", ")} or ${names.length - most + 1} others`;

export const joined = (names: string[], word: string) =>
  names.length < 2 ? (names[0] ?? "") : `${names.slice(0, -1).join(", ")} ${word} ${names.at(-1)}`;

export function goodsWords(w: Where | undefined, names: Names = byCode): string {
  const words = (part: Where | undefined) => goodsWords(part, names);
  if (!w) return "no goods yet";
  if (w.all) {
    if (w.all.length === 0) return "every product";
    const wanted = w.all.filter((p) => !p.not).map(words);
    const left = w.all.flatMap((p) => (p.not ? [words(p.not)] : []));
    return (
      (wanted.length ? wanted.join(", and ") : "every product") + (left.length ? ` except ${left.join(" and ")}` : "")
    );
  }
  if (w.any) return w.any.length === 0 ? "no goods" : w.any.map(words).join(", or ");
  if (w.not) return `everything except ${words(w.not)}`;
  if (w.category !== undefined) return some(listOf(w.category).map((c) => c.split("/").join(" › ")));
  if (w.brand !== undefined) return `brand ${some(listOf(w.brand))}`;
  if (w.tag !== undefined) return `tagged ${some(listOf(w.tag))}`;
  if (w.sku !== undefined) {
    return some(listOf(w.sku));
  }
  if (w.style !== undefined) return `style ${some(listOf(w.style))}`;
  if (w.supplier !== undefined) return `from ${some(listOf(w.supplier))}`;
  if (w.type !== undefined) return `of type ${some(listOf(w.type))}`;
  if (w.taxClass !== undefined) return `tax class ${some(listOf(w.taxClass))}`;
  if (w.range !== undefined) return `the range ${some(listOf(w.range).map((c) => names("ranges", c)))}`;
  if (w.reduced !== undefined) return w.reduced ? "goods reduced already" : "goods not reduced yet";
  if (w.attr)
    return Object.entries(w.attr)
      .map(
        ([name, test]) =>
          `${name} ${typeof test === "object" && !Array.isArray(test) ? spanWords(test) : some(listOf(test))}`,
      )
      .join(", and ");
  for (const [key, name] of Object.entries(numberNames)) {
    const b = w[key as keyof typeof numberNames];
    if (b) return `${name} ${spanWords(b)}`;
  }
  return `by ${Object.keys(w).join(", ")}`;
}

const numberNames = { list: "list price", cost: "cost", stock: "stock", sold: "units sold", rating: "rating" } as const;

function spanWords(b: Bounds): string {
  const [min, max] = [b.min?.toString(), b.max?.toString()];
  if (min && max) return `${amount(min)} to ${amount(max)}`;
  return min ? `from ${amount(min)}` : `up to ${amount(max)}`;
}

/** What a rule does: its effect, its breaks, or its ladder. */
export function whatWords(rule: Rule, names: Names = byCode): string {
  const basis = rule.of ? ` ${basisWords(rule.of, names)} of` : "";
  const whole = (e: Effect) => effectWords(e, names) + basis;
  if (rule.breaks) {
    const unit = measureWords(rule.measure);
    const words = rule.breaks.map(
      (b) =>
        `${unit.amounts ? amount(String(b.from)) : String(b.from)}${unit.words}: ${whole(b).replace(/ (for|of)$/, "")}`,
    );
    return `${breaksWords(rule)}from ${words.slice(0, 3).join(", from ")}${words.length > 3 ? " …" : ""} on`;
  }
  if (rule.ladder) return `${breaksWords(rule)}by the ladder “${names("ladders", rule.ladder)}” on`;
  if (rule.offer) return offerWords(rule.offer, names);
  if (rule.order) return orderWords(rule.order);
  return rule.effect ? whole(rule.effect) : "";
}

type Offer = NonNullable<Rule["offer"]>;

/** What an offer wants and what it gives. */
function offerWords(o: Offer, names: Names): string {
  const goods = (w: Where) => goodsWords(w, names);
  const alike = { sku: ", all the same,", style: ", all of one style," };
  const wants = (o.needs ?? []).map((n) => `${n.quantity ?? 1} of ${goods(n.where)}${n.same ? alike[n.same] : ""}`);
  const conditions = [];
  if (wants.length > 0) conditions.push(`buy ${joined(wants, "and")}`);
  if (o.spend) {
    const on = o.spend.where && o.spend.where.all?.length !== 0 ? ` on ${goods(o.spend.where)}` : "";
    conditions.push(
      `${o.spend.every ? "for every" : "spend"} ${amount(o.spend.amount)}${o.spend.every ? " spent" : ""}${on}`,
    );
  }
  if (o.after)
    conditions.push(`in the ${o.after.days} days after buying ${o.after.where ? goods(o.after.where) : "anything"}`);
  const codes = o.codes as { words?: string[] } | undefined;
  if (codes) conditions.push(codes.words?.length ? `with the code ${some(codes.words)}` : "with a code");
  const gives = (Array.isArray(o.gives) ? o.gives : [o.gives]).map((g) => giveWords(g, o, goods));
  const most = [];
  if (o.repeat) most.push(`at most ${o.repeat === 1 ? "once" : `${o.repeat} times`} an order`);
  if (o.maxOff) most.push(`at most ${amount(o.maxOff)} off`);
  if (o.stock) most.push(`${o.stock} in all`);
  if (o.perCustomer) most.push(`${o.perCustomer} a customer`);
  if (o.skipReduced) most.push("not with reduced goods");
  return [...conditions, `get ${joined(gives, "and")}`, ...most].join(", ");
}

type Give = Extract<Offer["gives"], readonly unknown[]>[number];

function giveWords(g: Give, o: Offer, goods: (w: Where) => string): string {
  const { to, units } = g;
  const need = typeof to === "string" ? o.needs?.find((n) => n.id === to) : undefined;
  let what = `${units ?? 1} of ${typeof to === "object" ? goods(to.where) : ""}`;
  if (to === "basket") what = "the whole basket";
  else if (to === "shipping") what = "the shipping";
  else if (to === "needs") what = "all of them";
  else if (need)
    what =
      (units ?? need.quantity ?? 1) === (need.quantity ?? 1) && o.needs?.length === 1
        ? "them"
        : `${units ?? need.quantity ?? 1} of ${o.needs?.length === 1 ? "them" : goods(need.where)}`;
  if (g.forTotal !== undefined) return `${what} for ${amount(g.forTotal)}`;
  if (g.each !== undefined) return `${what} for ${amount(g.each)}${to === "shipping" ? "" : " each"}`;
  if (g.amountOff !== undefined) return `${amount(g.amountOff)} off ${what}`;
  return g.percentOff === "100" ? `${what} free` : `${what} ${g.percentOff} % off`;
}

function orderWords({ min, multiple, max, perCustomer }: NonNullable<Rule["order"]>): string {
  const parts = [];
  if (min) parts.push(`at least ${min}`);
  if (multiple) parts.push(`by the ${multiple}`);
  if (max) parts.push(`at most ${max}`);
  if (perCustomer) parts.push(`at most ${perCustomer} a customer`);
  return `order ${parts.join(", ")} of`;
}

/** What the numbers of breaks are. */
function measureWords(measure = "quantity"): { words: string; amounts?: boolean } {
  if (measure.startsWith("attr:")) return { words: ` ${measure.slice(5)}` };
  const words: Record<string, string> = { quantity: "", spend: " spent", term: " months", days: " days of hire" };
  return { words: words[measure] ?? ` ${measure}`, amounts: measure === "spend" };
}

/** How breaks are counted, where not in the plain way. */
function breaksWords(rule: Rule): string {
  const counted: Record<string, string> = {
    style: "counting all its variants",
    selection: "counting everything selected",
    basket: "counting the whole basket",
  };
  const parts = [];
  if (rule.method === "graduated") parts.push("bracket by bracket");
  if (typeof rule.count === "object") parts.push(`counting ${goodsWords(rule.count.where)}`);
  else if (rule.count && counted[rule.count]) parts.push(counted[rule.count]);
  if (rule.historyDays) parts.push(`with what was bought in the ${rule.historyDays} days before`);
  return parts.length > 0 ? `${parts.join(", ")}, ` : "";
}

/** A price level, by its name or by the customer with whom its prices were agreed. */
export const levelWords = (level: string, names: Names = byCode) =>
  level.startsWith(agreedPrefix)
    ? `the price agreed with ${names("customers", level.slice(agreedPrefix.length))}`
    : `price level ${level}`;

const agreedPrefix = "agreed:";

/** What an effect is reckoned from. */
export function basisWords(of: string, names: Names = byCode): string {
  if (of.startsWith("level:")) return `the ${levelWords(of.slice(6), names)}`.replace("the the", "the");
  if (of.startsWith("cost:")) return `the ${of.slice(5)} cost`;
  const words: Record<string, string> = {
    list: "the list price",
    cost: "the cost",
    rrp: "the recommended price",
    catalog: "the price after the catalog layer",
  };
  return words[of] ?? of;
}

/** For whom a rule is. */
export function whomWords(rule: Rule, names: Names = byCode): string {
  const a = rule.audience;
  if (!a) return "";
  const who = [
    ...(a.groups ?? []).map((code) => names("groups", code)),
    ...(a.customers ?? []).map((code) => names("customers", code)),
  ];
  const parts = who.length > 0 ? [`for ${some(who)}`] : [];
  if (a.firstOrder !== undefined) parts.push(a.firstOrder ? "on a first order" : "not on a first order");
  if (a.signedIn !== undefined) parts.push(a.signedIn ? "when signed in" : "when not signed in");
  if (a.countries) parts.push(`in ${some(a.countries)}`);
  for (const [name, values] of Object.entries(a.customerAttr ?? {})) parts.push(`where ${name} is ${some(values)}`);
  return parts.join(", ");
}

export function effectWords(e: Effect, names: Names = byCode): string {
  if (e.percentOff !== undefined) return `${e.percentOff} % off`;
  if (e.percentOn !== undefined) return `${e.percentOn} % on top of`;
  if (e.amountOff !== undefined) return `${amount(e.amountOff)} off`;
  if (e.amountOn !== undefined) return `${amount(e.amountOn)} on top of`;
  if (e.setPrice !== undefined) return `${amount(e.setPrice)} for`;
  if (e.level !== undefined) return `${levelWords(e.level, names)} for`;
  if (e.markup !== undefined) return `cost plus ${e.markup} % for`;
  if (e.margin !== undefined) return `a margin of ${e.margin} % for`;
  if (e.derive) return derivedWords(e.derive);
  return Object.keys(e).join(", ");
}

function derivedWords(d: NonNullable<Effect["derive"]>): string {
  const source = d.from === "basket" ? "the basket" : d.from;
  const basis = { list: "the list price of ", net: "the price of ", subtotal: "the sum of " }[d.basis ?? "net"];
  const counts = { owned: " bought before", both: " in the basket and bought before", basket: "" }[
    d.counts ?? "basket"
  ];
  const least = d.min ? `, at least ${amount(d.min)}` : "";
  const most = d.max ? `, at most ${amount(d.max)}` : "";
  return `${d.percent} % of ${basis}${source}${counts}${least}${most}${least || most ? "," : ""} for`;
}

/** "27 Dec" for "12-27"; an end, which is exclusive, is named by its last day. */
function yearDay(text: string, end = false): string {
  const d = parse(`2001-${text}`, "yyyy-MM-dd", new Date(2001, 0, 1));
  return isValid(d) ? format(end ? subDays(d, 1) : d, "d MMM") : text;
}

const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);

export function windowWords(w: Rule["window"], now?: string): string {
  if (!w) return "until switched off";
  const parts = [];
  if (w.from) parts.push(`from ${day(w.from, now)}`);
  if (w.to) parts.push(`through ${through(w.to, now)}`);
  if (w.days) parts.push(`on ${joined(w.days.map(capital), "and")}`);
  if (w.hours) parts.push(w.hours.join(" to "));
  if (w.weekly) parts.push(`each week ${capital(w.weekly.from)} to ${capital(w.weekly.to)}`);
  if (w.yearly) parts.push(`each year ${yearDay(w.yearly.from)} through ${yearDay(w.yearly.to, true)}`);
  return parts.length ? parts.join(" ") : "until switched off";
}

export function endingWords(e: Rule["ending"]): string {
  if (!e) return "";
  const direction = e.direction === "up" ? "up to" : e.direction === "down" ? "down to" : "to the nearest";
  const shift =
    e.shift && !/^-?0+(\.0+)?$/.test(e.shift)
      ? e.shift.startsWith("-")
        ? ` less ${amount(e.shift.slice(1))}`
        : ` plus ${amount(e.shift)}`
      : "";
  return `${direction} ${amount(e.step)}${shift}`;
}

/** What a price is not reduced below. */
function floorWords(f: NonNullable<Rule["floor"]>, names: Names): string {
  const fee = f.withFee ? " after the channel’s fee" : "";
  if (f.cost) return `cost${fee}`;
  if (f.margin) return `${f.margin} % margin${fee}`;
  return f.level !== undefined ? basisWords(`level:${f.level}`, names) : amount(f.amount);
}

/** What else holds of the price that a rule makes. */
function limitsWords(rule: Rule, names: Names): string[] {
  const { floor, maxOff, on } = rule;
  const parts = [];
  if (rule.minQuantity && rule.minQuantity > 1) parts.push(`from ${rule.minQuantity} pieces`);
  if (maxOff) parts.push(`at most ${maxOff.percent ? `${maxOff.percent} %` : amount(maxOff.amount)} off`);
  if (floor) parts.push(`not reduced below ${floorWords(floor, names)}`);
  if (rule.ending) parts.push(`rounded ${endingWords(rule.ending)}`);
  if (on && on.join() !== "base")
    parts.push(
      `${on.includes("base") ? "also " : "only "}on ${joined(
        on.filter((p) => p !== "base"),
        "and",
      )}`,
    );
  if (rule.mayRaise) parts.push("may raise the price");
  if (rule.currency) parts.push(`only where prices are in ${rule.currency}`);
  if (rule.hireMatch) parts.push(hireWords[rule.hireMatch]);
  if (rule.then) parts.push(rule.then === "end-price" ? "ends the price" : "ends the layer");
  return parts;
}

const hireWords = {
  days: "for those days of a hire that fall in its time",
  inside: "for hires that lie in its time",
  any: "for hires that touch its time",
};

/** What the public sees of a rule. */
function shownWords({ show, liveTags }: Rule): string[] {
  const parts = [];
  if (show?.as) parts.push(show.as === "reduced" ? "shown as reduced" : "shown as an ordinary price");
  const words = show?.label ?? show?.badge ?? show?.message;
  if (words) parts.push(`labelled “${words}”`);
  if (liveTags?.add?.length) parts.push(`tags ${joined(liveTags.add, "and")} while it is live`);
  if (liveTags?.remove?.length) parts.push(`takes the tags ${joined(liveTags.remove, "and")} away while it is live`);
  return parts;
}

export function sentence(rule: Rule, names: Names = byCode, now?: string): Sentence {
  const places = rule.channels?.map((c) => names("channels", c));
  const campaign = rule.campaign ? `with the campaign ${names("campaigns", rule.campaign)}` : "";
  return {
    // What an offer does is a clause of its own before its goods.
    what: whatWords(rule, names) + (rule.offer ? "," : ""),
    goods: [
      rule.offer
        ? rule.where?.all?.length === 0
          ? ""
          : `among ${goodsWords(rule.where, names)}`
        : goodsWords(rule.where, names),
      ...limitsWords(rule, names),
    ]
      .filter(Boolean)
      .join(", "),
    whom: whomWords(rule, names),
    where: places ? (places.length > 0 ? `at the ${joined(places, "and the")}` : "in no channel") : "in every channel",
    when: [rule.window || !rule.campaign ? windowWords(rule.window, now) : "", campaign, ...shownWords(rule)]
      .filter(Boolean)
      .join(", "),
  };
}

/** Where a rule stands, and when that changes next. */
export function standingWords({ state, next }: { state: string; next?: string | undefined }, now: string): string {
  switch (state) {
    case "on":
      return next ? `through ${through(next, now)}` : "on";
    case "opens":
      return `opens ${day(next ?? "", now)}`;
    case "closed":
      return `closed until ${day(next ?? "", now)}`;
    case "waits":
      return "its campaign is not on";
    case "never":
      return "never open: its times do not meet";
    default:
      return state;
  }
}

interface Why {
  by?: string | undefined;
  counted?: string | undefined;
  wanted?: string | undefined;
  /** When the rule opens next, in words. */
  opens?: string | undefined;
  /** What its audience wants that the viewpoint does not say. */
  unmet?: Unmet[] | undefined;
}

/** A condition of an audience that somebody does not meet, in words that follow the name of a rule. */
function unmetWords({ condition, attr = "", wanted }: Unmet, names: Names): string {
  const yes = wanted[0] === "yes";
  switch (condition) {
    case "country":
      return `is only for buyers in ${some(wanted)}`;
    case "first-order":
      return yes ? "is only for first orders" : "is not for first orders";
    case "signed-in":
      return yes ? "is only for those who are signed in" : "is only for those who are not signed in";
    case "attr":
      return `is only for customers whose ${attr} is ${some(wanted)}`;
    case "who":
      return wanted.length === 0 ? "is for nobody" : `is only for ${some(wanted.map((w) => whoName(w, names)))}`;
  }
}

/** Names somebody by "group:CODE" or "customer:CODE". */
export function whoName(who: string, names: Names): string {
  const at = who.indexOf(":");
  return names(who.slice(0, at) === "group" ? "groups" : "customers", who.slice(at + 1));
}

/** What is assumed of a buyer, in words that follow a name. */
export function assumedWords(a: { country?: string; first?: boolean; signedIn?: boolean; attrs?: [string, string][] }) {
  return [
    a.first === undefined ? "" : a.first ? "on a first order" : "not on a first order",
    a.signedIn === undefined ? "" : a.signedIn ? "signed in" : "not signed in",
    a.country ? `in ${a.country}` : "",
    ...(a.attrs ?? []).map(([name, value]) => `whose ${name} is ${value}`),
  ]
    .filter(Boolean)
    .join(", ");
}

/** Why a rule did not apply, in plain words. */
export function reasonWords(
  reason: string,
  { by = "another rule", counted, wanted, opens, unmet = [] }: Why = {},
  names: Names = byCode,
): string {
  const words: Record<string, string> = {
    off: "is switched off or a draft",
    currency: "is for another currency",
    channel: "is for other channels",
    audience: joined([...new Set(unmet.map((u) => unmetWords(u, names)))], "and") || "is for other customers",
    "not-yet": opens ? `has not begun: it opens ${opens}` : "never opens: its times do not meet",
    ended: "is over",
    hours: opens ? `is outside its days or hours: it opens ${opens}` : "is outside its days or hours for good",
    "price-ended": `comes after ${by}, which ended the price`,
    "layer-ended": `comes after ${by}, which ended the layer`,
    quantity: `wants ${wanted ?? "more"}, counted ${counted ?? "fewer"}`,
    "no-price": "has no price to start from",
    "no-cost": "needs a cost, and none is known",
    "no-level": "needs a price level that is missing",
    "no-basis": "needs a value that is missing",
    "would-raise": "would raise the price",
    outranked: `is outranked by ${by}`,
    "not-lowest": `gives a higher price than ${by}`,
    "not-highest": `gives a lower price than ${by}`,
    needs: `wants ${wanted ?? "more"} of its goods, and ${counted ?? "fewer"} are here`,
    spend: `wants ${amount(wanted)} spent on its goods, and it is ${amount(counted)}`,
    "no-purchase": "opens after a purchase that was not made in time",
    code: "wants a code",
    "used-up": "is used up",
    "units-taken": `finds its goods taken by ${by}`,
    "no-gain": "would lower no price here",
  };
  return words[reason] ?? reason;
}

/** A rule as one line of text. */
export const sentenceText = (rule: Rule, names: Names = byCode, now?: string) => {
  const s = sentence(rule, names, now);
  return [[s.what, s.goods].filter(Boolean).join(" ").replace(/,$/, ""), s.whom, s.where, s.when]
    .filter(Boolean)
    .join(", ");
};
