import type { Bounds, Effect, Rule, Where } from "../api/client";
import { amount, day, through } from "./format";

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

const joined = (names: string[], word: string) =>
  names.length < 2 ? (names[0] ?? "") : `${names.slice(0, -1).join(", ")} ${word} ${names.at(-1)}`;

export function goodsWords(w: Where | undefined): string {
  if (!w) return "no goods yet";
  if (w.all) {
    if (w.all.length === 0) return "every product";
    const wanted = w.all.filter((p) => !p.not).map(goodsWords);
    const left = w.all.flatMap((p) => (p.not ? [goodsWords(p.not)] : []));
    return (
      (wanted.length ? wanted.join(", and ") : "every product") + (left.length ? ` except ${left.join(" and ")}` : "")
    );
  }
  if (w.any) return w.any.length === 0 ? "no goods" : w.any.map(goodsWords).join(", or ");
  if (w.not) return `everything except ${goodsWords(w.not)}`;
  if (w.category !== undefined) return some(listOf(w.category).map((c) => c.split("/").join(" › ")));
  if (w.brand !== undefined) return `brand ${some(listOf(w.brand))}`;
  if (w.tag !== undefined) return `tagged ${some(listOf(w.tag))}`;
  if (w.sku !== undefined) {
    const skus = listOf(w.sku);
    return skus.length > 3 ? `${skus.length} listed SKUs` : some(skus);
  }
  if (w.style !== undefined) return `style ${some(listOf(w.style))}`;
  if (w.supplier !== undefined) return `from ${some(listOf(w.supplier))}`;
  if (w.type !== undefined) return `of type ${some(listOf(w.type))}`;
  if (w.taxClass !== undefined) return `tax class ${some(listOf(w.taxClass))}`;
  if (w.range !== undefined) return `the range ${some(listOf(w.range))}`;
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
export function whatWords(rule: Rule): string {
  if (rule.breaks) {
    const words = rule.breaks.map((b) => `${String(b.from)}: ${effectWords(b).replace(/ for$| of$/, "")}`);
    return `from ${words.slice(0, 3).join(", from ")}${words.length > 3 ? " …" : ""} on`;
  }
  if (rule.ladder) return `by the ladder ${rule.ladder} on`;
  if (!rule.effect) return "an offer or an order on";
  const basis = rule.of ? ` the ${rule.of.replace(":", " ")}` : "";
  return effectWords(rule.effect) + basis + (basis ? " of" : "");
}

/** For whom a rule is. */
export function whomWords(rule: Rule, names: (code: string) => string): string {
  const a = rule.audience;
  if (!a) return "";
  const who = [...(a.groups ?? []), ...(a.customers ?? [])].map(names);
  const parts = who.length > 0 ? [`for ${some(who)}`] : [];
  if (a.firstOrder !== undefined) parts.push(a.firstOrder ? "on a first order" : "not on a first order");
  if (a.signedIn !== undefined) parts.push(a.signedIn ? "when signed in" : "when not signed in");
  if (a.countries) parts.push(`in ${some(a.countries)}`);
  for (const [name, values] of Object.entries(a.customerAttr ?? {})) parts.push(`where ${name} is ${some(values)}`);
  return parts.join(", ");
}

export function effectWords(e: Effect): string {
  if (e.percentOff !== undefined) return `${e.percentOff} % off`;
  if (e.percentOn !== undefined) return `${e.percentOn} % on top of`;
  if (e.amountOff !== undefined) return `${amount(e.amountOff)} off`;
  if (e.amountOn !== undefined) return `${amount(e.amountOn)} on top of`;
  if (e.setPrice !== undefined) return `${amount(e.setPrice)} for`;
  if (e.level !== undefined) return `price level ${e.level} for`;
  if (e.markup !== undefined) return `cost plus ${e.markup} % for`;
  if (e.margin !== undefined) return `a margin of ${e.margin} % for`;
  if (e.derive) return `${e.derive.percent} % of the price of ${e.derive.from} for`;
  return Object.keys(e).join(", ");
}

export function windowWords(w: Rule["window"], now?: string): string {
  if (!w) return "until switched off";
  const parts = [];
  if (w.from) parts.push(`from ${day(w.from, now)}`);
  if (w.to) parts.push(`through ${through(w.to, now)}`);
  if (w.days)
    parts.push(
      `on ${joined(
        w.days.map((d) => d.charAt(0).toUpperCase() + d.slice(1)),
        "and",
      )}`,
    );
  if (w.hours) parts.push(w.hours.join(" to "));
  if (w.weekly) parts.push(`each week ${w.weekly.from} to ${w.weekly.to}`);
  if (w.yearly) parts.push(`each year ${w.yearly.from} to ${w.yearly.to}`);
  return parts.length ? parts.join(" ") : "until switched off";
}

export function endingWords(e: Rule["ending"]): string {
  if (!e) return "";
  const way = e.direction === "up" ? "up to" : e.direction === "down" ? "down to" : "to the nearest";
  const shift =
    e.shift && !/^-?0+(\.0+)?$/.test(e.shift)
      ? e.shift.startsWith("-")
        ? ` less ${amount(e.shift.slice(1))}`
        : ` plus ${amount(e.shift)}`
      : "";
  return `${way} ${amount(e.step)}${shift}`;
}

export function sentence(
  rule: Rule,
  channels: Map<string, string>,
  now?: string,
  names: (code: string) => string = (c) => c,
): Sentence {
  const places = rule.channels?.map((c) => channels.get(c) ?? c);
  const least = rule.minQuantity && rule.minQuantity > 1 ? `, from ${rule.minQuantity} pieces` : "";
  const ending = endingWords(rule.ending);
  const floor = rule.floor
    ? rule.floor.cost
      ? ", never below cost"
      : rule.floor.margin
        ? `, never below ${rule.floor.margin} % margin`
        : `, never below ${amount(rule.floor.amount)}`
    : "";
  const most = rule.maxOff
    ? `, at most ${rule.maxOff.percent ? `${rule.maxOff.percent} %` : amount(rule.maxOff.amount)} off`
    : "";
  const campaign = rule.campaign ? `, with the campaign ${names(rule.campaign)}` : "";
  return {
    what: whatWords(rule),
    goods: goodsWords(rule.where) + least + most + floor + (ending ? `, rounded ${ending}` : ""),
    whom: whomWords(rule, names),
    where: places ? `at the ${joined(places, "and the")}` : "in every channel",
    when:
      (rule.window || !rule.campaign ? windowWords(rule.window, now) : "") +
      campaign.replace(/^, /, rule.window ? ", " : ""),
  };
}

/** Why a rule did not apply, in plain words. */
export function reasonWords(reason: string, by: string, counted?: string, wanted?: string): string {
  const words: Record<string, string> = {
    off: "is switched off or a draft",
    currency: "is for another currency",
    channel: "is for other channels",
    audience: "is for other customers",
    "not-yet": "has not begun",
    ended: "is over",
    hours: "is outside its days or hours",
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
  };
  return words[reason] ?? reason;
}

/** A rule as one line of text. */
export const sentenceText = (rule: Rule, channels: Map<string, string>, now?: string) => {
  const s = sentence(rule, channels, now);
  return [`${s.what} ${s.goods}`, s.whom, s.where, s.when].filter(Boolean).join(", ");
};
