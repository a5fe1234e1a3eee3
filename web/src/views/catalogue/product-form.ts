import type { Schema } from "../../api/client";
import { amount, day } from "../../lib/format";

/** Named values of a document, such as attributes and price levels, as rows of a form. */
export interface Pair {
  key: string;
  value: string;
}

export const pairs = (o: unknown): Pair[] =>
  Object.entries((o ?? {}) as Record<string, unknown>).map(([key, value]) => ({ key, value: String(value) }));

/** The values of the rows; one that was a number and is written as before stays a number. */
export const unpair = (list: Pair[], was: unknown): Record<string, unknown> | undefined => {
  const before = (was ?? {}) as Record<string, unknown>;
  const rows = list.filter((p) => p.key.trim() !== "" && p.value.trim() !== "");
  if (rows.length === 0) return undefined;
  return Object.fromEntries(
    rows.map(({ key, value }) => [key, String(before[key]) === value ? before[key] : value.trim()] as const),
  );
};

/** An option of a product: what it adds to the price, and to which part. */
export interface OptionForm {
  code: string;
  price: string;
  part: string;
}

export const readOptions = (options: readonly { code: string; price: string; part?: string }[] = []): OptionForm[] =>
  options.map(({ code, price, part = "" }) => ({ code, price, part }));

export const writeOptions = (list: OptionForm[]) =>
  list
    .filter((o) => o.code.trim() + o.price.trim() !== "")
    .map((o) => ({ code: o.code, price: o.price.trim(), ...(o.part && { part: o.part }) }));

/** Figures that a later day may bring, each by itself. */
export const laterAmounts = [
  ["list", "List price"],
  ["cost", "Cost"],
  ["rrp", "Recommended"],
  ["map", "Lowest advertised"],
] as const;

/** Figures by name that a later day may bring. */
export const laterNamed = [
  ["levels", "Price level"],
  ["costs", "Further cost"],
  ["listIn", "List price in"],
] as const;

type NamedKind = (typeof laterNamed)[number][0];

/** What a product costs from a moment on, as it is written. */
export interface LaterForm extends Record<(typeof laterAmounts)[number][0], string> {
  date: string;
  time: string;
  named: { kind: NamedKind; key: string; value: string }[];
}

export const emptyLater: LaterForm = { date: "", time: "00:00", list: "", cost: "", rrp: "", map: "", named: [] };

export const readLater = (later: unknown): LaterForm[] =>
  ((later ?? []) as Schema["BookFigures"][]).map((f) => {
    const [date = "", time = ""] = f.from.split("T");
    return {
      date,
      time,
      list: f.list ?? "",
      cost: f.cost ?? "",
      rrp: f.rrp ?? "",
      map: f.map ?? "",
      named: laterNamed.flatMap(([kind]) => pairs(f[kind]).map((p) => ({ kind, ...p }))),
    };
  });

export const fromOf = (f: LaterForm) => `${f.date.trim()}T${f.time.trim() || "00:00"}`;

/** Those that say anything, in the order in which they begin, whatever that in which they were written. */
export const inTime = (list: LaterForm[]) =>
  list
    .filter((f) => f.date.trim() !== "" || f.named.length > 0 || laterAmounts.some(([k]) => f[k].trim() !== ""))
    .sort((a, b) => fromOf(a).localeCompare(fromOf(b)));

/** Later figures of a document in words, for a history. */
export function laterWords(json: string, now?: string): string {
  if (json === "") return "";
  const words = readLater(JSON.parse(json)).map((f) => {
    const figures = [
      ...laterAmounts.flatMap(([k, label]) => (f[k] ? [`${label.toLowerCase()} ${amount(f[k])}`] : [])),
      ...f.named.map((n) => `${n.key} ${amount(n.value)}`),
    ];
    return `${day(fromOf(f), now)}: ${figures.join(", ")}`;
  });
  return words.join("; ");
}

/** The later figures of a document; undefined where there are none. */
export const writeLater = (list: LaterForm[]): Schema["BookFigures"][] | undefined => {
  const written = inTime(list).map((f) => ({
    from: fromOf(f),
    ...Object.fromEntries(laterAmounts.flatMap(([k]) => (f[k].trim() ? [[k, f[k].trim()]] : []))),
    ...Object.fromEntries(
      laterNamed.flatMap(([kind]) => {
        const of = unpair(
          f.named.filter((n) => n.kind === kind),
          undefined,
        );
        return of ? [[kind, of]] : [];
      }),
    ),
  }));
  return written.length > 0 ? written : undefined;
};
