import { describe, expect, test } from "vitest";
import type { Rule } from "../api/client";
import {
  endingWords,
  goodsWords,
  reasonWords,
  sentence,
  sentenceText,
  whatWords,
  whomWords,
  windowWords,
} from "./sentence";

const channels = new Map([
  ["web", "web shop"],
  ["quay", "shop on the quay"],
]);
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
  expect(sentenceText(r, channels, now)).toBe(
    "10 % off Clay › Stoneware except brand Fernhask, rounded up to 0.1 less 0.01, for trade, at the web shop and the shop on the quay, from Fri 27 Nov through Sun 29 Nov",
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
    ["many SKUs are counted", { sku: ["A", "B", "C", "D"] }, "4 listed SKUs"],
    ["many categories are cut", { category: ["A/B", "C", "D", "E"] }, "A › B, C or 2 others"],
    ["a span with both ends", { cost: { min: "1000", max: "2500.50" } }, "cost 1\u2009000 to 2\u2009500.50"],
    ["a span from nothing, written as a number", { stock: { min: 0, max: 5 } }, "stock 0 to 5"],
    ["an attribute", { attr: { cone: ["6", "10"], litres: { min: "40" } } }, "cone 6 or 10, and litres from 40"],
    ["reduced goods", { reduced: false }, "goods not reduced yet"],
    ["a range", { range: "autumn" }, "the range autumn"],
  ];
  for (const [name, where, words] of cases) test(name, () => expect(goodsWords(where)).toBe(words));
});

describe("what", () => {
  test.each<[string, Partial<Rule>, string]>([
    ["markup", { effect: { markup: "40" } }, "cost plus 40 % for"],
    ["margin", { effect: { margin: "37.5" } }, "a margin of 37.5 % for"],
    ["level", { effect: { level: "msrp" } }, "price level msrp for"],
    ["derived", { effect: { derive: { from: "KIT", percent: "60" } } }, "60 % of the price of KIT for"],
    ["a percent of another value", { effect: { percentOff: "5" }, of: "list" }, "5 % off the list of"],
    ["ladder", { ladder: "bags" }, "by the ladder bags on"],
    [
      "more breaks than fit",
      { breaks: [3, 5, 10, 20].map((from) => ({ from, percentOff: `${from}` })) },
      "from 3: 3 % off, from 5: 5 % off, from 10: 10 % off … on",
    ],
  ])("%s", (_, parts, words) => expect(whatWords(rule(parts))).toBe(words));
});

test("limits and floors stand with the goods", () => {
  const base = { where: { all: [] }, effect: { percentOff: "50" } };
  expect(sentence(rule({ ...base, maxOff: { percent: "30" }, floor: { cost: true } }), channels).goods).toBe(
    "every product, at most 30 % off, never below cost",
  );
  expect(sentence(rule({ ...base, minQuantity: 5, floor: { margin: "12" } }), channels).goods).toBe(
    "every product, from 5 pieces, never below 12 % margin",
  );
});

test("whom, by the names that people know", () => {
  const named = (code: string) => ({ trade: "Trade", c1: "Mill Lane Pottery" })[code] ?? code;
  expect(whomWords(rule({ audience: { groups: ["trade"], customers: ["c1"], signedIn: true } }), named)).toBe(
    "for Trade or Mill Lane Pottery, when signed in",
  );
  expect(whomWords(rule({}), named)).toBe("");
});

describe("when", () => {
  const cases: [string, Rule["window"], string][] = [
    ["no window", undefined, "until switched off"],
    ["the end is exclusive: its last day is named", { to: "2026-12-01T00:00" }, "through Mon 30 Nov"],
    ["an end within a day names its last minute", { to: "2026-12-01T18:00" }, "through Tue 1 Dec 17:59"],
    ["another year is named", { from: "2027-01-04T08:30" }, "from Mon 4 Jan 2027 08:30"],
    ["days and hours", { days: ["mon", "thu"], hours: ["18:00", "22:00"] }, "on Mon and Thu 18:00 to 22:00"],
    ["each year", { yearly: { from: "12-27", to: "01-02" } }, "each year 12-27 to 01-02"],
  ];
  for (const [name, window, words] of cases) test(name, () => expect(windowWords(window, now)).toBe(words));

  test("a campaign's rule has no end of its own", () =>
    expect(sentence(rule({ campaign: "dark", where: { all: [] } }), channels).when).toBe("with the campaign dark"));
});

test("endings", () => {
  expect(endingWords({ step: "1", shift: "-0.05" })).toBe("to the nearest 1 less 0.05");
  expect(endingWords({ step: "1", direction: "down", shift: "0.00" })).toBe("down to 1");
  expect(endingWords(undefined)).toBe("");
});

test("a reason says what was counted, and an unknown one is not hidden", () => {
  expect(reasonWords("quantity", "", "3", "12")).toBe("wants 12, counted 3");
  expect(reasonWords("outranked", "QUAY-CLAY")).toBe("is outranked by QUAY-CLAY");
  expect(reasonWords("something-new", "")).toBe("something-new");
});
