import type { Rule, Where } from "../api/client";
import { amount, day, through } from "./format";

/** A rule in words: what, on which goods, where, when. */
export interface Sentence {
  what: string;
  goods: string;
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
  if (w.list) {
    const { min, max } = w.list;
    if (min && max) return `list price ${amount(min)} to ${amount(max)}`;
    return min ? `list price from ${amount(min)}` : `list price up to ${amount(max)}`;
  }
  return `by ${Object.keys(w).join(", ")}`;
}

export function effectWords(rule: Pick<Rule, "effect">): string {
  const e = rule.effect;
  if (!e) return "a rule of another form";
  if (e.percentOff !== undefined) return `${e.percentOff} % off`;
  if (e.percentOn !== undefined) return `${e.percentOn} % on top of`;
  if (e.amountOff !== undefined) return `${amount(e.amountOff)} off`;
  if (e.amountOn !== undefined) return `${amount(e.amountOn)} on top of`;
  if (e.setPrice !== undefined) return `${amount(e.setPrice)} for`;
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
        w.days.map((d) => d[0]?.toUpperCase() + d.slice(1)),
        "and",
      )}`,
    );
  const known = new Set(["from", "to", "days"]);
  for (const key of Object.keys(w)) if (!known.has(key)) parts.push(`in set ${key}`);
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

export function sentence(rule: Rule, channels: Map<string, string>, now?: string): Sentence {
  const places = rule.channels?.map((c) => channels.get(c) ?? c);
  const least = rule.minQuantity && rule.minQuantity > 1 ? `, from ${rule.minQuantity} pieces` : "";
  const ending = endingWords(rule.ending);
  return {
    what: effectWords(rule),
    goods: goodsWords(rule.where) + least + (ending ? `, rounded ${ending}` : ""),
    where: places ? `at the ${joined(places, "and the")}` : "in every channel",
    when: windowWords(rule.window, now),
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
