import type { Schema, SettingsDoc, Where } from "../../../api/client";
import { readSelection, writeSelection, type Selection } from "../../../parts/rule/selection";
import type { TaxClass } from "../../../ui/tax-class";

export type Guard = NonNullable<SettingsDoc["guard"]> & { where?: Where };

/** An exchange rate as it is written. */
export interface RateForm {
  currency: string;
  rate: string;
  day: string;
  /** It is not among those that are saved. */
  added?: boolean;
}

export type SavedRate = Schema["RateRow"];

export interface GuardForm {
  guard: Guard;
  selection: Selection;
}

/** A country's tax rates, by class; an empty one is the book's. */
export interface CountryForm {
  code: string;
  rates: Record<string, string>;
}

/** Countries after a tax class is called something else; "": it is taken out. */
export const renamed = (countries: CountryForm[], from: string, to: string): CountryForm[] =>
  countries.map((c) => {
    const { [from.trim()]: rate, ...rates } = c.rates;
    return { ...c, rates: rate === undefined || to.trim() === "" ? rates : { ...rates, [to.trim()]: rate } };
  });

/** The whole page as it is being written. */
export interface SettingsForm {
  doc: SettingsDoc;
  rates: RateForm[];
  classes: TaxClass[];
  countries: CountryForm[];
  guards: GuardForm[];
}

export function formOf(page: Schema["SettingsPage"]): SettingsForm {
  const { doc } = page;
  return {
    doc,
    rates: page.rates.map(({ currency, rate, day }) => ({ currency, rate, day })),
    classes: Object.entries(doc.taxRates ?? {}),
    countries: Object.entries(doc.countries ?? {}).map(([code, { taxRates }]) => ({ code, rates: taxRates })),
    guards: (doc.guards ?? []).map((guard) => ({ guard, selection: readSelection(guard.where) })),
  };
}

const filled = <T>(key: string, value: Record<string, T> | T[]) =>
  Object.keys(value).length > 0 ? { [key]: value } : {};

/** An object without some of its keys. */
export const without = <T extends object>(whole: T, ...keys: (keyof T)[]): T =>
  Object.fromEntries(Object.entries(whole).filter(([key]) => !keys.includes(key as keyof T))) as T;

/** The document that a form stands for. */
export function docOf({ doc, rates, classes, countries, guards }: SettingsForm): SettingsDoc {
  const written = (of: Record<string, string>) =>
    Object.fromEntries(Object.entries(of).flatMap(([k, v]) => (v.trim() ? [[k, v.trim()]] : [])));
  return {
    ...without(doc, "taxRates", "countries", "rates", "guards"),
    ...filled("taxRates", Object.fromEntries(classes.map(([name, percent]) => [name.trim(), percent.trim()]))),
    ...filled(
      "countries",
      Object.fromEntries(countries.map((c) => [c.code.trim(), { taxRates: written(c.rates) }] as const)),
    ),
    ...filled(
      "guards",
      guards.map(({ guard, selection }) => {
        const where = writeSelection(selection);
        // Goods that nobody chose yet are not "none": the core says that they are missing.
        return { ...guard, ...(where && { where }) } as Guard & { where: Where };
      }),
    ),
    ...filled(
      "rates",
      Object.fromEntries(
        rates
          .filter((r) => r.rate.trim() !== "")
          .map((r) => [codeOf(r), r.rate.trim()] as const)
          .sort(([a], [b]) => (a < b ? -1 : 1)),
      ),
    ),
  };
}

/** The days that are said of rates, by currency, where the rate or the day is not as it was saved. */
export function daysOf({ rates }: SettingsForm, saved: SavedRate[]): Record<string, string> {
  const changed = ({ currency, rate, day }: RateForm) => {
    const was = saved.find((s) => s.currency === currency);
    return rate.trim() !== "" && day.trim() !== "" && (day !== was?.day || rate !== was.rate);
  };
  return Object.fromEntries(rates.filter(changed).map((r) => [codeOf(r), r.day.trim()]));
}

/** A rate's currency as the document has it. */
export const codeOf = (r: RateForm) => r.currency.trim().toUpperCase();

/** What the document cannot say and would drop without a word: names that stand twice, and half a rate. */
export function lostIn({ doc, rates, classes, countries }: SettingsForm): { path: string; problem: string }[] {
  const twice = (names: string[]) => names.filter((n, i) => names.indexOf(n) < i);
  return [
    ...twice(classes.map(([name]) => name.trim())).map((n) => ({ path: `taxRates.${n}`, problem: "stands twice" })),
    ...twice(countries.map((c) => c.code.trim())).map((n) => ({ path: `countries.${n}`, problem: "stands twice" })),
    ...twice(rates.map(codeOf)).map((n) => ({ path: `rates.${n}`, problem: "stands twice" })),
    ...rates.flatMap((r) => {
      const path = `rates.${codeOf(r)}`;
      if (codeOf(r) === doc.currency) return [{ path, problem: "This is the book's own currency" }];
      if (r.added && codeOf(r) === "") return [{ path, problem: "Write a currency of ISO 4217 such as GBP" }];
      return r.added && r.rate.trim() === "" ? [{ path, problem: "Write the rate" }] : [];
    }),
  ];
}

/** Whether two forms say the same, in whatever order. */
export const same = (a: SettingsForm, b: SettingsForm) => told(a) === told(b);

const told = (form: SettingsForm) =>
  JSON.stringify([inOrder(docOf(form)), form.rates.map((r) => [r.currency, r.rate.trim(), r.day.trim()])]);

function inOrder(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inOrder);
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([k, v]) => [k, inOrder(v)]),
  );
}
