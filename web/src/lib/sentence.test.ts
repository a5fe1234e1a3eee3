import { describe, expect, test } from "vitest";
import type { Rule, Unmet } from "../api/client";
import {
  type Names,
  assumedWords,
  endingWords,
  goodsWords,
  reasonWords,
  sentence,
  sentenceText,
  whatWords,
  whomWords,
  windowWords,
} from "./sentence";

const known: Record<string, string> = {
  "channels web": "web shop",
  "channels quay": "shop on the quay",
  "groups trade": "Trade",
  "customers c1": "Mill Lane Pottery",
  "ladders bags": "By the bag",
  "ranges autumn": "Autumn & <after>",
};
const names: Names = (kind, code) => known[`${kind} ${code}`] ?? code;
const now = "2026-11-26T09:00";
const rule = (parts: Partial<Rule>): Rule => ({ code: "R", layer: "sale", ...parts }) as Rule;

test("a whole rule reads as one line", () => {
  const r = rule({
    where: { all: [{ category: "Clay/Stoneware" }, { not: { brand: "Fernhask" } }] },
    effect: { percentOff: "10" },
    ending: { step: "0.1", direction: "up", shift: "-0.01" },
    audience: { groups: ["trade"] },
    channels: ["web", "quay"],
    window: { from: "2026-11-27T00:00", to: "2026-11-30T00:00" },
  });
  expect(sentenceText(r, names, now)).toBe(
    "10 % off Clay › Stoneware except brand Fernhask, rounded up to 0.1 less 0.01, for Trade, at the web shop and the shop on the quay, from Fri 27 Nov through Sun 29 Nov",
  );
});

describe("goods", () => {
  const cases: [string, Rule["where"] | undefined, string][] = [
    ["nothing chosen is not everything", undefined, "no goods yet"],
    ["all of nothing is everything", { all: [] }, "every product"],
    ["any of nothing is nothing", { any: [] }, "no goods"],
    ["everything but", { all: [{ not: { tag: "heavy" } }] }, "every product except tagged heavy"],
    [
      "two that must both hold",
      { all: [{ tag: "glaze" }, { list: { max: "8" } }] },
      "tagged glaze, and list price up to 8",
    ],
    ["either", { any: [{ sku: "A" }, { style: "S" }] }, "A, or style S"],
    ["a few are named", { sku: ["A", "B", "C"] }, "A, B or C"],
    ["of many SKUs some are named", { sku: ["A", "B", "C", "D"] }, "A, B or 2 others"],
    ["many categories are cut", { category: ["A/B", "C", "D", "E"] }, "A › B, C or 2 others"],
    ["a span with both ends", { cost: { min: "1000", max: "2500.50" } }, "cost 1\u202f000 to 2\u202f500.50"],
    ["a span from nothing, written as a number", { stock: { min: 0, max: 5 } }, "stock 0 to 5"],
    ["an attribute", { attr: { cone: ["6", "10"], litres: { min: "40" } } }, "cone 6 or 10, and litres from 40"],
    ["reduced goods", { reduced: false }, "goods not reduced yet"],
    ["a range", { range: "autumn" }, "the range Autumn & <after>"],
  ];
  for (const [name, where, words] of cases) test(name, () => expect(goodsWords(where, names)).toBe(words));
});

describe("what", () => {
  test.each<[string, Partial<Rule>, string]>([
    ["markup", { effect: { markup: "40" } }, "cost plus 40 % for"],
    ["margin", { effect: { margin: "37.5" } }, "a margin of 37.5 % for"],
    ["level", { effect: { level: "msrp" } }, "price level msrp for"],
    ["derived", { effect: { derive: { from: "KIT", percent: "60" } } }, "60 % of the price of KIT for"],
    [
      "derived within bounds",
      {
        effect: { derive: { from: "basket", basis: "subtotal", percent: "4", min: "18", max: "400", counts: "both" } },
      },
      "4 % of the sum of the basket in the basket and bought before, at least 18, at most 400, for",
    ],
    [
      "an agreed price names the customer",
      { effect: { level: "agreed:c1" } },
      "the price agreed with Mill Lane Pottery for",
    ],
    [
      "from a level",
      { effect: { percentOff: "5" }, of: "level:agreed:c1" },
      "5 % off the price agreed with Mill Lane Pottery of",
    ],
    ["from a further cost", { effect: { amountOn: "2" }, of: "cost:last" }, "2 on top of the last cost of"],
    [
      "brackets",
      { method: "graduated", breaks: [{ from: 11, percentOff: "2" }], of: "rrp" },
      "bracket by bracket, from 11: 2 % off the recommended price on",
    ],
    [
      "weights of all variants, with what was bought before",
      { count: "style", measure: "attr:kg", historyDays: 90, breaks: [{ from: "2.5", setPrice: "4" }] },
      "counting all its variants, with what was bought in the 90 days before, from 2.5 kg: 4 on",
    ],
    [
      "money spent on other goods",
      { count: { where: { tag: "clay" } }, measure: "spend", breaks: [{ from: "1000", percentOff: "4" }] },
      "counting tagged clay, from 1\u202f000 spent: 4 % off on",
    ],
    ["a percent of another value", { effect: { percentOff: "5" }, of: "list" }, "5 % off the list price of"],
    ["ladder", { ladder: "bags" }, "by the ladder “By the bag” on"],
    [
      "more breaks than fit",
      { breaks: [3, 5, 10, 20].map((from) => ({ from, percentOff: `${from}` })) },
      "from 3: 3 % off, from 5: 5 % off, from 10: 10 % off … on",
    ],
  ])("%s", (_, parts, words) => expect(whatWords(rule(parts), names)).toBe(words));
});

test("limits and floors stand with the goods", () => {
  const base = { where: { all: [] }, effect: { percentOff: "50" } };
  expect(sentence(rule({ ...base, maxOff: { percent: "30" }, floor: { cost: true } }), names).goods).toBe(
    "every product, at most 30 % off, not reduced below cost",
  );
  expect(sentence(rule({ ...base, minQuantity: 5, floor: { margin: "12" } }), names).goods).toBe(
    "every product, from 5 pieces, not reduced below 12 % margin",
  );
  expect(sentence(rule({ ...base, floor: { level: "LEAST" } }), names).goods).toBe(
    "every product, not reduced below the price level LEAST",
  );
  expect(sentence(rule({ ...base, floor: { cost: true, withFee: true } }), names).goods).toBe(
    "every product, not reduced below cost after the channel’s fee",
  );
});

test("whom, by the names that people know", () => {
  expect(whomWords(rule({ audience: { groups: ["trade"], customers: ["c1"], signedIn: true } }), names)).toBe(
    "for Trade or Mill Lane Pottery, when signed in",
  );
  expect(whomWords(rule({}), names)).toBe("");
});

describe("when", () => {
  const cases: [string, Rule["window"], string][] = [
    ["no window", undefined, "until switched off"],
    ["the end is exclusive: its last day is named", { to: "2026-12-01T00:00" }, "through Mon 30 Nov"],
    ["an end within a day names its last minute", { to: "2026-12-01T18:00" }, "through Tue 1 Dec 17:59"],
    ["another year is named", { from: "2027-01-04T08:30" }, "from Mon 4 Jan 2027 08:30"],
    ["days and hours", { days: ["mon", "thu"], hours: ["18:00", "22:00"] }, "on Mon and Thu 18:00 to 22:00"],
    ["each year", { yearly: { from: "12-27", to: "01-02" } }, "each year 27 Dec through 1 Jan"],
  ];
  for (const [name, window, words] of cases) test(name, () => expect(windowWords(window, now)).toBe(words));

  test("a campaign's rule has no end of its own", () =>
    expect(sentence(rule({ campaign: "dark", where: { all: [] } }), names).when).toBe("with the campaign dark"));
});

test("endings", () => {
  expect(endingWords({ step: "1", shift: "-0.05" })).toBe("to the nearest 1 less 0.05");
  expect(endingWords({ step: "1", direction: "down", shift: "0.00" })).toBe("down to 1");
  expect(endingWords(undefined)).toBe("");
});

test("a reason says what was counted, and an unknown one is not hidden", () => {
  expect(reasonWords("quantity", { counted: "3", wanted: "12" })).toBe("wants 12, counted 3");
  expect(reasonWords("outranked", { by: "QUAY-CLAY" })).toBe("is outranked by QUAY-CLAY");
  expect(reasonWords("something-new")).toBe("something-new");
});

// What each field says; a field that the schema gains is missing here, and the type check says so.
const said: { [field in keyof Required<Rule>]: [Partial<Rule>, RegExp] | "shown beside" } = {
  code: "shown beside",
  layer: "shown beside",
  rank: "shown beside",
  name: "shown beside",
  note: "shown beside",
  status: "shown beside",
  offer: "shown beside",
  order: "shown beside",
  audience: [{ audience: { customers: ["c1"] } }, /for Mill Lane Pottery/],
  breaks: [{ breaks: [{ from: 3, percentOff: "7" }] }, /from 3: 7 % off/],
  campaign: [{ campaign: "dark" }, /with the campaign dark/],
  channels: [{ channels: ["quay"] }, /at the shop on the quay/],
  count: [{ breaks: [], count: "basket" }, /whole basket/],
  currency: [{ currency: "GBP" }, /only where prices are in GBP/],
  effect: [{ effect: { markup: "40" } }, /cost plus 40 %/],
  ending: [{ ending: { step: "5", direction: "up", shift: "-0.05" } }, /rounded up to 5 less 0.05/],
  floor: [{ floor: { margin: "12" } }, /not reduced below 12 % margin/],
  hireMatch: [{ hireMatch: "inside" }, /hires that lie in its time/],
  historyDays: [{ breaks: [], historyDays: 30 }, /in the 30 days before/],
  ladder: [{ effect: undefined, ladder: "bags" }, /by the ladder “By the bag”/],
  liveTags: [{ liveTags: { add: ["offer"], remove: ["new"] } }, /tags offer.*takes the tags new away/],
  maxOff: [{ maxOff: { amount: "8" } }, /at most 8 off/],
  mayRaise: [{ mayRaise: true }, /may raise the price/],
  measure: [{ breaks: [{ from: 3, percentOff: "7" }], measure: "days" }, /from 3 days of hire/],
  method: [{ breaks: [], method: "graduated" }, /bracket by bracket/],
  minQuantity: [{ minQuantity: 4 }, /from 4 pieces/],
  of: [{ of: "catalog" }, /the price after the catalog layer/],
  on: [{ on: ["base", "work"] }, /also on work/],
  show: [{ show: { as: "ordinary", label: "Quay & <co>" } }, /shown as an ordinary price, labelled “Quay & <co>”/],
  then: [{ then: "end-price" }, /ends the price/],
  where: [{ where: { tag: "glaze" } }, /tagged glaze/],
  window: [{ window: { weekly: { from: "fri 18:00", to: "mon 10:00" } } }, /each week Fri 18:00 to Mon 10:00/],
};

test.each(Object.entries(said))("the sentence says what %s says", (_, part) => {
  if (part === "shown beside") return;
  const plain = rule({ where: { all: [] }, effect: { percentOff: "10" } });
  expect(sentenceText(plain, names, now)).not.toMatch(part[1]);
  expect(sentenceText({ ...plain, ...part[0] }, names, now)).toMatch(part[1]);
});

describe("what an audience wants that is not said", () => {
  const why = (...unmet: Unmet[]) => reasonWords("audience", { unmet }, names);
  test.each<[Unmet, string]>([
    [{ condition: "who", wanted: ["group:trade", "customer:c1"] }, "is only for Trade or Mill Lane Pottery"],
    [{ condition: "who", wanted: ["customer:a:b"] }, "is only for a:b"],
    [{ condition: "who", wanted: [] }, "is for nobody"],
    [{ condition: "country", wanted: ["DE", "FR"] }, "is only for buyers in DE or FR"],
    [{ condition: "first-order", wanted: ["yes"] }, "is only for first orders"],
    [{ condition: "first-order", wanted: ["no"] }, "is not for first orders"],
    [{ condition: "signed-in", wanted: ["yes"] }, "is only for those who are signed in"],
    [{ condition: "signed-in", wanted: ["no"] }, "is only for those who are not signed in"],
    [{ condition: "attr", attr: "region <&>", wanted: ["north"] }, "is only for customers whose region <&> is north"],
  ])("%o", (unmet, words) => expect(why(unmet)).toBe(words));
  test("two of them, one of which rule and campaign share", () => {
    const first: Unmet = { condition: "first-order", wanted: ["yes"] };
    expect(why(first, { condition: "country", wanted: ["DE"] }, first)).toBe(
      "is only for first orders and is only for buyers in DE",
    );
    expect(why()).toBe("is for other customers");
  });
});

test("what is assumed of a buyer follows the name", () => {
  expect(assumedWords({})).toBe("");
  expect(assumedWords({ first: true, signedIn: false, country: "DE", attrs: [["region", "=north"]] })).toBe(
    "on a first order, not signed in, in DE, whose region is =north",
  );
});
