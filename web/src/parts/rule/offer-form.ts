import type { Rule, Where } from "../../api/client";
import { newId, newValues, newGroup, readSelection, unfinished, writeSelection, type Selection } from "./selection";

type Offer = NonNullable<Rule["offer"]>;
type Give = Extract<Offer["gives"], readonly unknown[]>[number];

export interface NeedForm {
  key: number;
  id: string;
  goods: Selection;
  quantity: string;
  same: "" | "sku" | "style";
}

export const giveKinds = ["percentOff", "amountOff", "each", "forTotal"] as const;
export type GiveKind = (typeof giveKinds)[number];

export interface GiveForm {
  key: number;
  /** "need:ID", "needs", "goods", "basket" or "shipping". */
  to: string;
  goods: Selection;
  units: string;
  kind: GiveKind;
  value: string;
  pick: "" | "cheapest" | "dearest" | "in-turn";
  of: "" | "list" | "catalog";
}

/** An offer as the editor holds it; what is null is not part of it. */
export interface OfferForm {
  needs: NeedForm[];
  spend: { goods: Selection; amount: string; every: boolean } | null;
  after: { goods: Selection; days: string } | null;
  codes: { words: string; listed: boolean; uses: string; usesPerCustomer: string; graceDays: string } | null;
  gives: GiveForm[];
  repeat: string;
  maxUnits: string;
  maxOff: string;
  skipReduced: boolean;
  stock: string;
  perCustomer: string;
}

/** What may be ordered of one SKU. */
export interface OrderForm {
  min: string;
  multiple: string;
  max: string;
  perCustomer: string;
}

export const noOffer: OfferForm = {
  needs: [],
  spend: null,
  after: null,
  codes: null,
  gives: [],
  repeat: "",
  maxUnits: "",
  maxOff: "",
  skipReduced: false,
  stock: "",
  perCustomer: "",
};
export const noOrder: OrderForm = { min: "", multiple: "", max: "", perCustomer: "" };

const anything = (): Selection => ({ everything: true, root: newGroup("all") });
const nothing = (): Selection => ({ everything: false, root: { ...newGroup("any"), parts: [newValues("category")] } });

export const newNeed = (needs: NeedForm[], quantity = "1"): NeedForm => ({
  key: newId(),
  id: "abcdefghijklmnopqrstuvwxyz".split("").find((id) => !needs.some((n) => n.id === id)) ?? `n${newId()}`,
  goods: nothing(),
  quantity,
  same: "",
});

export const newGive = (to: string, part: Partial<GiveForm> = {}): GiveForm => ({
  key: newId(),
  to,
  goods: nothing(),
  units: "",
  kind: "percentOff",
  value: "",
  pick: "",
  of: "",
  ...part,
});

/** The shapes of deals from which the writing of one begins. */
export const shapes = [
  ["nth", "Every n-th piece for less", "Every fourth brush at half price"],
  ["same", "Buy some, get some of the same", "Three for two; the cheapest is free"],
  ["other", "Buy some, get some of others", "A sponge free with two glazes"],
  ["number", "A number of pieces for one price", "Any three ribs for 20"],
  ["set", "Goods that go together, for one price", "Tools, a bat and the apron for 99"],
  ["add-on", "An add-on to a main product", "Two bats at half price with a wheel"],
  ["spend", "Spend and get", "Free carriage from 150"],
  ["basket", "Something off the whole basket", "10 off with a voucher"],
  ["after", "After a purchase", "15 % off furniture in the 30 days after a kiln"],
  ["order", "Least, multiple and most of an order", "By the six, at most 24"],
] as const;
export type Shape = (typeof shapes)[number][0];

/** What an offer of a shape begins with. */
export function offerOf(shape: Exclude<Shape, "order">): OfferForm {
  const need = newNeed([]);
  const of = (needs: NeedForm[], ...gives: GiveForm[]): OfferForm => ({ ...noOffer, needs, gives });
  switch (shape) {
    case "nth":
      return of([{ ...need, quantity: "4" }], newGive(`need:${need.id}`, { units: "1", value: "50", pick: "in-turn" }));
    case "same":
      return of([{ ...need, quantity: "3" }], newGive(`need:${need.id}`, { units: "1", value: "100" }));
    case "other":
      return of([{ ...need, quantity: "2" }], newGive("goods", { units: "1", value: "100" }));
    case "number":
      return of([{ ...need, quantity: "3" }], newGive("needs", { kind: "forTotal" }));
    case "set":
      return of([need, newNeed([need])], newGive("needs", { kind: "forTotal" }));
    case "add-on":
      return of([need], newGive("goods", { units: "1", value: "50" }));
    case "spend":
      return {
        ...of([], newGive("shipping", { value: "100" })),
        spend: { goods: anything(), amount: "", every: false },
      };
    case "basket":
      return of([], newGive("basket", { value: "10" }));
    case "after":
      return { ...of([], newGive("basket", { value: "15" })), after: { goods: nothing(), days: "30" } };
  }
}

const text = (n: number | undefined) => (n === undefined ? "" : String(n));

export function readOffer(o: Offer): OfferForm {
  const codes = o.codes as {
    words?: string[];
    listed?: boolean;
    uses?: number;
    usesPerCustomer?: number;
    graceDays?: number;
  };
  const gives = Array.isArray(o.gives) ? o.gives : [o.gives];
  const needs = o.needs ?? [];
  return {
    needs: needs.map((n) => ({
      key: newId(),
      id: n.id,
      goods: readSelection(n.where),
      quantity: text(n.quantity ?? 1),
      same: n.same ?? "",
    })),
    spend: o.spend
      ? {
          goods: o.spend.where ? readSelection(o.spend.where) : anything(),
          amount: o.spend.amount,
          every: o.spend.every ?? false,
        }
      : null,
    after: o.after
      ? { goods: o.after.where ? readSelection(o.after.where) : anything(), days: text(o.after.days) }
      : null,
    codes: o.codes
      ? {
          words: (codes.words ?? []).join(", "),
          listed: codes.listed ?? false,
          uses: text(codes.uses),
          usesPerCustomer: text(codes.usesPerCustomer),
          graceDays: text(codes.graceDays),
        }
      : null,
    gives: gives.map((g) => {
      const kind = giveKinds.find((k) => g[k] !== undefined) ?? "percentOff";
      const to = g.to;
      return {
        key: newId(),
        to: typeof to === "object" ? "goods" : needs.some((n) => n.id === to) ? `need:${to}` : to,
        goods: typeof to === "object" ? readSelection(to.where) : nothing(),
        units: g.units === undefined ? "" : String(g.units),
        kind,
        value: g[kind] ?? "",
        pick: g.pick ?? "",
        of: g.of ?? "",
      };
    }),
    repeat: text(o.repeat),
    maxUnits: text(o.maxUnits),
    maxOff: o.maxOff ?? "",
    skipReduced: o.skipReduced ?? false,
    stock: text(o.stock),
    perCustomer: text(o.perCustomer),
  };
}

export const readOrder = (o: NonNullable<Rule["order"]>): OrderForm => ({
  min: text(o.min),
  multiple: text(o.multiple),
  max: text(o.max),
  perCustomer: text(o.perCustomer),
});

const whole = (t: string) => (/^\d+$/.test(t.trim()) ? Number(t) : t.trim());
const wholes = (part: Record<string, string>) =>
  Object.fromEntries(
    Object.entries(part)
      .filter(([, t]) => t.trim() !== "")
      .map(([key, t]) => [key, whole(t)]),
  );
/** Goods that nobody chose yet match nothing. */
const goods = (s: Selection): Where => writeSelection(s) ?? { any: [] };
const words = (t: string) => t.split(/[\s,;]+/).filter(Boolean);

export function writeOffer(f: OfferForm): Offer {
  const gives = f.gives.map((g) => {
    const needs = g.to.startsWith("need:");
    return {
      to: g.to === "goods" ? { where: goods(g.goods) } : needs ? g.to.slice(5) : g.to,
      ...((needs || g.to === "goods") &&
        g.units.trim() !== "" && { units: g.units.trim() === "all" ? "all" : whole(g.units) }),
      [g.kind]: g.value.trim(),
      ...(g.pick && { pick: g.pick }),
      ...(g.of && g.kind === "percentOff" && { of: g.of }),
    } as Give;
  });
  return {
    ...(f.needs.length > 0 && {
      needs: f.needs.map((n) => ({
        id: n.id,
        where: goods(n.goods),
        ...(n.quantity.trim() !== "1" && { quantity: whole(n.quantity) as number }),
        ...(n.same && { same: n.same }),
      })),
    }),
    ...(f.spend && {
      spend: {
        ...(!f.spend.goods.everything && { where: goods(f.spend.goods) }),
        amount: f.spend.amount.trim(),
        ...(f.spend.every && { every: true }),
      },
    }),
    ...(f.after && {
      after: {
        ...(!f.after.goods.everything && { where: goods(f.after.goods) }),
        days: whole(f.after.days) as number,
      },
    }),
    ...(f.codes && {
      codes: {
        ...((!f.codes.listed || words(f.codes.words).length > 0) && { words: words(f.codes.words) }),
        ...(f.codes.listed && { listed: true }),
        ...wholes({ uses: f.codes.uses, usesPerCustomer: f.codes.usesPerCustomer, graceDays: f.codes.graceDays }),
      },
    }),
    gives: gives.length === 1 && gives[0] ? gives[0] : gives,
    ...wholes({ repeat: f.repeat, maxUnits: f.maxUnits }),
    ...(f.maxOff.trim() && { maxOff: f.maxOff.trim() }),
    ...(f.skipReduced && { skipReduced: true }),
    ...wholes({ stock: f.stock, perCustomer: f.perCustomer }),
  };
}

export const writeOrder = (f: OrderForm) => wholes({ ...f });

/**
 * How many pieces of a need are wanted so that so many of them are free, where an offer gives away all that it wants: the
 * free piece counts among those wanted.
 */
export function allFree(offer: OfferForm, give: GiveForm): { wanted: number; free: number } | null {
  const need = offer.needs.find((n) => give.to === `need:${n.id}`);
  const units = give.units.trim() === "" || give.units.trim() === "all" ? need?.quantity : give.units;
  const [wanted, free] = [Number(need?.quantity), Number(units)];
  const nothingElse = offer.needs.length === 1 && !offer.spend;
  return nothingElse && give.kind === "percentOff" && Number(give.value) === 100 && free > 0 && free >= wanted
    ? { wanted: wanted + free, free }
    : null;
}

/** What an offer still lacks, by the path of the core's errors below "offer.". */
export function lacksOf(f: OfferForm): Map<string, string> {
  const map = new Map<string, string>();
  const chosen = (path: string, s: Selection) => {
    if (s.everything) return;
    const open = s.root.parts.length === 0 ? "Choose the goods." : unfinished(s.root);
    if (open) map.set(path, open);
  };
  f.needs.forEach((n, i) => chosen(`needs[${i}].where`, n.goods));
  f.gives.forEach((g, i) => {
    const path = f.gives.length === 1 ? "gives" : `gives[${i}]`;
    if (g.to === "goods") chosen(`${path}.to.where`, g.goods);
    if (g.value.trim() === "") map.set(`${path}.${g.kind}`, "Write how much.");
  });
  if (f.gives.length === 0) map.set("gives", "Say what is given.");
  if (f.spend) {
    chosen("spend.where", f.spend.goods);
    if (f.spend.amount.trim() === "") map.set("spend.amount", "Write how much is to be spent.");
  }
  if (f.after) chosen("after.where", f.after.goods);
  if (f.codes && !f.codes.listed && words(f.codes.words).length === 0)
    map.set("codes.words", "Write at least one code, or keep codes beside the book.");
  return map;
}
