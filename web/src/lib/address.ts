import { z } from "zod";
import type { Viewpoint } from "../api/viewpoint";

// What an address says is what somebody typed, kept or was sent: what cannot be meant counts as not said.

const text = z.string().catch("");
const moment = z
  .string()
  .regex(/^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$/)
  .catch("");
const span = z
  .string()
  .regex(/^(-?\d+(\.\d+)?)?:(-?\d+(\.\d+)?)?$/)
  .catch("");

export const sorts = [
  "category",
  "sku",
  "name",
  "list",
  "price",
  "margin",
  "margin-amount",
  "change",
  "stock",
  "sold",
] as const;

const boardFilter = z.object({
  q: text,
  category: text,
  show: z.enum(["all", "reduced", "changed", "below-cost", "no-price"]).catch("all"),
  rule: text,
  against: text,
  /** Percent spans, "MIN:MAX". */
  margin: span,
  change: span,
  /** Whether the margin is that of the viewpoint's channel, or of any. */
  "margin-in": z.enum(["", "any"]).catch(""),
  /** Spans that hold both of their ends. */
  stock: span,
  sold: span,
  /** Any of these tags, parted by commas; what is no letter or digit is escaped. */
  tags: text,
  reach: z.enum(["", "changed", "unchanged", "unselected"]).catch(""),
  /** Only so many rows, in the order of the board; 0: all. */
  rows: z.coerce.number().int().min(0).max(1_000_000).catch(0),
  // Views that were kept earlier name the margin's amount as it was called then.
  sort: z.preprocess((s) => (s === "left" ? "margin-amount" : s), z.enum(sorts)).catch("category"),
  desc: z
    .enum(["true", "false"])
    .catch("false")
    .transform((d) => d === "true"),
  spread: z.enum(["", "group", "quantity", "channel", "changes"]).catch(""),
  /** Further columns that are shown. */
  cols: text,
});

const flagFilter = z.object({
  by: z.enum(["", "kind", "cause"]).catch(""),
  kind: text,
  severity: z.enum(["", "error", "warning", "note"]).catch(""),
  /** The channel that flags are raised in. */
  in: text,
  layer: text,
  campaign: text,
  category: text,
  cause: text,
  q: text,
  acknowledged: z
    .enum(["true", "false"])
    .catch("false")
    .transform((a) => a === "true"),
});

/** Which flags are shown, and how they are grouped. */
export type FlagFilter = Omit<z.output<typeof flagFilter>, "by"> & { by: "kind" | "cause" };

/** Reads which flags are shown from an address. */
export function readFlagFilter(params: URLSearchParams): FlagFilter {
  const { by, ...rest } = flagFilter.parse(Object.fromEntries(params));
  // By cause a newcomer finds in a screen what is wrong; a kind that was asked for is one list.
  return { ...rest, by: by || (rest.kind || rest.cause ? "kind" : "cause") };
}

/** Which products a board shows, and in which order. */
export type BoardFilter = z.output<typeof boardFilter>;

export const readFilter = (params: URLSearchParams): BoardFilter => boardFilter.parse(Object.fromEntries(params));

/** What narrows a board; its order and its columns do not. */
export const narrowing = [
  "q",
  "category",
  "show",
  "rule",
  "margin",
  "margin-in",
  "change",
  "stock",
  "sold",
  "tags",
  "reach",
  "rows",
] as const satisfies (keyof BoardFilter)[];

export const tagsOf = (filter: Pick<BoardFilter, "tags">): string[] =>
  filter.tags === "" ? [] : filter.tags.split(",").map(unescaped);

export const tagsText = (tags: string[]) => tags.map(encodeURIComponent).join(",");

/** An address may hold what nobody escaped. */
function unescaped(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

export const noFilter: BoardFilter = readFilter(new URLSearchParams());

const yesNo = z.enum(["", "yes", "no"]).catch("");

const viewpoint = z.object({
  channel: z.string().optional().catch(undefined),
  at: moment,
  quantity: z.coerce.number().int().min(1).max(1_000_000).catch(1),
  who: z
    .string()
    .regex(/^(group|customer):./)
    .catch(""),
  with: text,
  country: text,
  first: yesNo,
  "signed-in": yesNo,
  attrs: text,
});

/** The viewpoint that an address names; where it names no channel, the fallback. The channel "none" is none at all. */
export function readViewpoint(params: URLSearchParams, fallback: string): Viewpoint {
  const read = viewpoint.parse(Object.fromEntries(params));
  const channel = read.channel ?? fallback;
  return {
    channel: channel === "none" ? "" : channel,
    at: read.at,
    quantity: read.quantity,
    who: read.who,
    with: read.with === "" ? [] : read.with.split(","),
    country: read.country,
    first: read.first,
    signedIn: read["signed-in"],
    attrs: read.attrs,
  };
}

export const zooms = ["day", "week", "month", "quarter", "year"] as const;

const calendar = z.object({ zoom: z.enum(zooms).catch("month"), around: moment });

/** How much time a calendar shows, and around which moment; "" is the present. */
export const readCalendar = (params: URLSearchParams) => calendar.parse(Object.fromEntries(params));

const editor = z.object({
  layer: z.enum(["catalog", "sale", "tier", "group", "promotion"]).catch("sale"),
  copy: text,
  chosen: text,
  /** Said where the rule is for where one stands: the category, and the viewpoint's channel and buyer. */
  here: text,
  category: text,
  channel: text,
  who: text,
});

/** What a new rule begins with. */
export const readNewRule = (params: URLSearchParams) => editor.parse(Object.fromEntries(params));

const line = z.object({
  sku: z.string().min(1),
  quantity: z.number().int(),
  options: z.array(z.string()).optional(),
  term: z.number().int().optional(),
  hire: z.object({ from: z.string(), to: z.string() }).optional(),
  byHand: z.object({ percentOff: z.string().optional(), amountOff: z.string().optional() }).optional(),
});

/** A line of a basket. */
export type BasketLine = z.output<typeof line>;

const basket = z.object({
  /** Codes that are presented, parted by commas. */
  codes: text,
  shipping: text,
});

/** The basket that an address holds. */
export function readBasket(params: URLSearchParams) {
  let lines: BasketLine[] = [];
  try {
    lines = z
      .array(line)
      .catch([])
      .parse(JSON.parse(params.get("lines") ?? "[]"));
  } catch {
    // what cannot be meant counts as not said
  }
  const { codes, shipping } = basket.parse(Object.fromEntries(params));
  return { lines, codes: codes === "" ? [] : codes.split(","), shipping };
}

export const linesText = (lines: BasketLine[]) => (lines.length === 0 ? "" : JSON.stringify(lines));

const carriedKeys = [...Object.keys(viewpoint.shape), "against", "sku", "trail"];

/** The part of the address that goes along from view to view. */
export function carried(params: URLSearchParams): string {
  const kept = new URLSearchParams();
  for (const key of carriedKeys) {
    const value = params.get(key);
    if (value !== null) kept.set(key, value);
  }
  const query = kept.toString();
  return query ? "?" + query : "";
}

/** An address within the program that carries the viewpoint along, with more of its own. */
export function addressOf(path: string, params: URLSearchParams, more: Record<string, string> = {}): string {
  const next = new URLSearchParams(carried(params));
  for (const [key, value] of Object.entries(more)) next.set(key, value);
  const query = next.toString();
  return path + (query ? "?" + query : "");
}

/** The address of a new rule that begins with where one stands: what the address chooses of itself, no more. */
export const newRuleHere = (params: URLSearchParams, more: Record<string, string> = {}) => {
  const category = params.get("category");
  return addressOf("/stack/new", params, { layer: "sale", here: "1", ...(category && { category }), ...more });
};

/** A question of one price. */
export interface PriceQuestion {
  sku?: string;
  at: string;
  channel?: string;
  customer?: string;
  groups?: string[];
  quantity?: number;
  with?: string[];
}

/** Who asks a question, as an address has it; "" for a guest. */
export const whoAsks = (q: PriceQuestion) =>
  q.customer ? `customer:${q.customer}` : q.groups?.[0] ? `group:${q.groups[0]}` : "";

/** What an address says of a question, but for its product. */
export function questionParams(q: PriceQuestion): URLSearchParams {
  const params = new URLSearchParams({ channel: q.channel ?? "none", at: q.at });
  if (whoAsks(q)) params.set("who", whoAsks(q));
  if (q.with) params.set("with", q.with.join(","));
  if ((q.quantity ?? 1) > 1) params.set("quantity", String(q.quantity));
  return params;
}

/** The board at exactly a question, with the way to its price. */
export function boardAt(q: PriceQuestion): string {
  const params = questionParams(q);
  params.set("sku", q.sku ?? "");
  params.set("q", q.sku ?? "");
  params.set("trail", "open");
  return `/board?${params.toString()}`;
}
