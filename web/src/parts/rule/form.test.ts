import { describe, expect, test } from "vitest";
import type { Rule } from "../../api/client";
import { lacksOf, offerOf, shapes } from "./offer-form";
import { codeFrom, emptyForm, errorsOf, keptIn, placeOf, readForm, writeForm } from "./form";

const base = { code: "R", layer: "sale", rank: 3, where: { category: ["Clay"] } } as const;
const rules: [string, Partial<Rule>][] = [
  ["a percent", { effect: { percentOff: "15" } }],
  ["a set price in a currency", { effect: { setPrice: "9.99" }, currency: "GBP" }],
  ["a derived price", { effect: { derive: { from: "KIT", basis: "list", percent: "4", min: "18", counts: "both" } } }],
  [
    "breaks by money, bracket by bracket",
    {
      breaks: [
        { from: 10, percentOff: "2" },
        { from: "99.50", amountOff: "5" },
      ],
      measure: "spend",
      method: "graduated",
      historyDays: 90,
    },
  ],
  [
    "breaks counted over other goods",
    { breaks: [{ from: 6, percentOff: "2" }], count: { where: { tag: ["glaze"] } }, measure: "attr:kg" },
  ],
  ["a ladder", { ladder: "by-the-box", minQuantity: 6 }],
  [
    "everything about when",
    {
      effect: { level: "B" },
      campaign: "autumn",
      window: {
        from: "2026-11-27T09:00",
        to: "2026-12-06T00:00",
        days: ["fri", "sat"],
        hours: ["09:00", "12:00"],
        weekly: { from: "fri 18:00", to: "mon 10:00" },
        yearly: { from: "03-01", to: "05-16" },
      },
    },
  ],
  [
    "everything about whom and where",
    {
      effect: { margin: "40" },
      audience: {
        groups: ["trade"],
        customers: ["C-7"],
        countries: ["NL", "BE"],
        customerAttr: { region: ["north"] },
        firstOrder: false,
        signedIn: true,
      },
      channels: ["web"],
    },
  ],
  [
    "limits, ending and what it ends",
    {
      effect: { percentOff: "30" },
      of: "rrp",
      on: ["base", "options"],
      ending: { step: "5", direction: "up", shift: "-0.05" },
      maxOff: { amount: "8" },
      floor: { cost: true },
      mayRaise: true,
      then: "end-price",
      status: "draft",
      name: "A rule",
      note: "why",
    },
  ],
  [
    "what the public sees",
    {
      effect: { amountOff: "1" },
      show: { label: "Sale", terms: "while stock lasts", as: "ordinary" },
      liveTags: { add: ["sale"], remove: ["new"] },
    },
  ],
  [
    "an offer that wants and gives everything",
    {
      layer: "promotion",
      offer: {
        needs: [
          { id: "a", where: { tag: ["glaze & <slip>"] }, quantity: 2, same: "style" },
          { id: "zz", where: { not: { sku: ["A"] } } },
        ],
        spend: { where: { category: ["Clay"] }, amount: "50.00", every: true },
        after: { where: { all: [] }, days: 30 },
        codes: { words: ["CLAY-DAY", "X99"], listed: true, uses: 100, usesPerCustomer: 1, graceDays: 2 },
        gives: [
          { to: "a", units: 1, percentOff: "50", pick: "dearest", of: "list" },
          { to: { where: { sku: ["B"] } }, units: "all", each: "2.50" },
          { to: "shipping", amountOff: "4.00" },
        ],
        repeat: 3,
        maxUnits: 4,
        maxOff: "100.00",
        skipReduced: true,
        stock: 80,
        perCustomer: 1,
      },
      then: "end-layer",
    },
  ],
  [
    "goods for one price",
    {
      layer: "promotion",
      offer: { needs: [{ id: "a", where: { all: [] }, quantity: 3 }], gives: { to: "needs", forTotal: "20.00" } },
    },
  ],
  ["codes beside the book alone", { offer: { codes: { listed: true }, gives: { to: "basket", percentOff: "5" } } }],
  ["an order", { layer: "group", order: { min: 6, multiple: 6, max: 24, perCustomer: 48 } }],
  ["hires as a whole", { effect: { percentOn: "20" }, hireMatch: "inside" }],
];

describe("a rule that was read and written again is the same", () => {
  test.each(rules)("%s", (_, part) => {
    const rule = { ...base, ...part } as unknown as Rule;
    const written = writeForm(readForm(rule));
    // Nothing spent on and bought before means everything, said or not.
    expect(
      JSON.parse(JSON.stringify(written).replace('"after":{"days"', '"after":{"where":{"all":[]},"days"')),
    ).toEqual(rule);
  });
});

test("a rule that is renamed is renamed, and nothing else: two attributes, seconds, a tag with a comma", () => {
  const rule: Rule = {
    ...base,
    where: { category: "Clay" },
    name: "North, gold",
    effect: { percentOff: "40" },
    audience: { customerAttr: { region: ["north"], tier: ["gold", "dry, matte"] } },
    window: { from: "2026-11-27T09:00:30", to: "2026-12-06T18:00:15", hours: ["09:00:10", "12:00"] },
    liveTags: { add: ["dry, matte"] },
  };
  const form = readForm(rule);
  expect(keptIn(form)).toEqual([]); // all of it is shown
  expect(form.attrs).toHaveLength(2);
  expect(form).toMatchObject({ fromTime: "09:00:30", toTime: "18:00:14", tagsAdd: '"dry, matte"' });
  expect(writeForm({ ...form, name: "South" })).toEqual({ ...rule, name: "South" });
});

test("what no control shows is named, kept, and goes only with what it belongs to", () => {
  const rule = {
    ...base,
    where: { category: "Clay" },
    effect: { percentOff: "5" },
    audience: { groups: [], signedIn: true },
  };
  const form = readForm(rule);
  expect(keptIn(form)).toEqual([{ words: "groups", place: "audience", value: [] }]);
  expect(writeForm({ ...form, signedIn: "no" }).audience).toEqual({ groups: [], signedIn: false });
  expect(writeForm({ ...form, groups: ["trade"] }).audience).toEqual({ groups: ["trade"], signedIn: true });
});

test("a new rule says nothing that was not chosen", () => {
  const rule = writeForm(emptyForm("sale", 4));
  expect(rule).toEqual({ code: "", layer: "sale", rank: 4, effect: { percentOff: "" } });
});

test("what is no number goes as it was typed, so that the core can say what is wrong with it", () => {
  const form = { ...emptyForm("sale", 1), rank: "first", minQuantity: "6.5" };
  expect(writeForm(form)).toMatchObject({ rank: "first", minQuantity: "6.5" });
});

test("an error finds its control by the path", () => {
  expect(placeOf("window.to")).toBe("to");
  expect(placeOf("breaks[1].from")).toBe("breaks");
  expect(placeOf("effect.percentOff")).toBe("effect");
  expect(placeOf("something.else")).toBe("other");
});

test.each(shapes.map(([shape]) => shape).filter((s) => s !== "order"))(
  "a deal of the shape %s says what it still lacks, and is written whatever is in it",
  (shape) => {
    const form = { ...emptyForm("promotion", 1), how: "offer" as const, offer: offerOf(shape) };
    expect(writeForm(form)).toMatchObject({ offer: { gives: {} } });
    const lacks = [...lacksOf(form.offer).keys()];
    if (shape === "basket") expect(lacks).toEqual([]);
    else expect(lacks.length).toBeGreaterThan(0);
    expect(errorsOf(form, []).has("offer")).toBe(shape !== "basket");
  },
);

test("an order that says nothing is no order", () => {
  expect(errorsOf({ ...emptyForm("promotion", 1), how: "order" }, []).get("order")).toContain("least");
  const shown = { ...emptyForm("promotion", 1).show, image: "/images/a.png" };
  expect(errorsOf({ ...emptyForm("promotion", 1), show: shown }, []).has("show")).toBe(true);
  expect(errorsOf({ ...emptyForm("promotion", 1), show: { ...shown, alt: "A jug" } }, []).has("show")).toBe(false);
});

test("an empty figure is asked for in words, and a list without choices too", () => {
  const form = emptyForm("sale", 1);
  expect(errorsOf(form, [{ path: "effect.percentOff", problem: "not a decimal", value: '""' }]).get("effect")).toBe(
    "Write how much.",
  );
  expect(errorsOf({ ...form, how: "ladder" }, []).get("ladder")).toBe("Choose a ladder.");
  expect(errorsOf({ ...form, toTime: "18:00" }, []).get("to")).toBe("A time of day needs a date.");
});

describe("codes from names", () => {
  test.each([
    ["Glaze week", [], "GLAZE-WEEK"],
    ["Glaze week", ["GLAZE-WEEK"], "GLAZE-WEEK-2"],
    ["Crème brûlée, 20 %", [], "CREME-BRULEE-20"],
    ["???", [], "RULE"],
  ] as [string, string[], string][])("%s", (name, taken, code) => expect(codeFrom(name, new Set(taken))).toBe(code));
});
