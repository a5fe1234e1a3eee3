import { expect, test } from "vitest";
import type { Schema } from "../../../api/client";
import { daysOf, docOf, formOf, lostIn, same } from "./form";

const page = {
  doc: {
    currency: "EUR",
    timeZone: "UTC",
    taxRates: { "low & <high>": "9", standard: "21" },
    rates: { GBP: "0.85", USD: "1.05" },
    guards: [{ where: { brand: "B" }, minMargin: "12" }],
  },
  etag: "1",
  rates: [
    { currency: "GBP", rate: "0.85", day: "2026-11-20", channels: ["Island"] },
    { currency: "SEK", rate: "", day: "", channels: ["North"] },
    { currency: "USD", rate: "1.05", day: "", channels: [] },
  ],
  taxClasses: [],
} as unknown as Schema["SettingsPage"];

test("what is read is written as it was, and says nothing of days", () => {
  const form = formOf(page);
  expect(docOf(form)).toEqual(page.doc);
  expect(daysOf(form, page.rates)).toEqual({});
  expect(same(form, formOf(page))).toBe(true);
  expect(lostIn(form)).toEqual([]);
});

test("a rate or a day that is another is told with its day; one that is emptied goes", () => {
  const form = formOf(page);
  const written: Record<string, object> = {
    GBP: { rate: "" },
    SEK: { rate: " 11.2 ", day: " 2026-11-25 " },
    USD: { day: "2026-11-24" },
  };
  const rates = form.rates.map((r) => ({ ...r, ...written[r.currency] }));
  const next = { ...form, rates };
  expect(docOf(next).rates).toEqual({ SEK: "11.2", USD: "1.05" });
  expect(daysOf(next, page.rates)).toEqual({ SEK: "2026-11-25", USD: "2026-11-24" });
  expect(same(form, next)).toBe(false);
});

test("what the document could not hold is named before it is lost", () => {
  const form = formOf(page);
  const added = { rate: "1", day: "", added: true };
  const wrong = lostIn({
    ...form,
    classes: [...form.classes, ["standard ", "5"]],
    rates: [
      ...form.rates,
      { ...added, currency: " gbp" },
      { ...added, currency: "eur" },
      { ...added, currency: "" },
      { ...added, currency: "CHF", rate: " " },
    ],
  });
  expect(wrong.map((e) => `${e.path}: ${e.problem}`)).toEqual([
    "taxRates.standard: stands twice",
    "rates.GBP: stands twice",
    "rates.EUR: This is the book's own currency",
    "rates.: Write a currency of ISO 4217 such as GBP",
    "rates.CHF: Write the rate",
  ]);
});
