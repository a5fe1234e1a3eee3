import { describe, expect, test } from "vitest";
import { amount, day, endAfter, isZero, lastOf, moment, signed } from "./format";

describe("amounts stay the text that they are", () => {
  test.each([
    ["1450.00", "1\u202f450.00"],
    ["-12345678.9", "\u221212\u202f345\u202f678.9"],
    ["100", "100"],
    ["0.005", "0.005"],
    [
      "123456789012345678901234567890.10",
      "123\u202f456\u202f789\u202f012\u202f345\u202f678\u202f901\u202f234\u202f567\u202f890.10",
    ],
  ])("%s", (text, shown) => expect(amount(text)).toBe(shown));
  test("none is a dash", () => expect(amount(null)).toBe("–"));
  test("a sign is shown, but not for nothing", () => {
    expect(signed("1.50")).toBe("+1.50");
    expect(signed("-1.50")).toBe("\u22121.50");
    expect(signed("-0.00")).toBe("0");
    expect(isZero("0.01")).toBe(false);
  });
});

describe("the end of a window: exclusive in the document, inclusive for people", () => {
  test.each([
    ["2026-12-01T00:00", "2026-11-30", ""],
    ["2026-12-01T18:00", "2026-12-01", "17:59"],
    ["2028-03-01T00:00", "2028-02-29", ""],
    ["2027-01-01T00:00", "2026-12-31", ""],
  ])("%s is through %s %s and back", (to, date, time) => {
    expect(lastOf(to)).toEqual({ date, time });
    expect(endAfter(date, time)).toBe(to);
  });
  test("a day that does not exist is passed on for the core to refuse", () =>
    expect(endAfter("2026-02-30", "")).toBe("2026-02-30T00:00"));
});

test("moments are short, with the year only where it is another", () => {
  expect(moment("2026-11-27T09:00", "2026-11-26T08:00")).toBe("Fri 27 Nov 09:00");
  expect(moment("2027-01-04T09:00", "2026-11-26T08:00")).toBe("Mon 4 Jan 2027 09:00");
  expect(day("2026-11-27T00:00", "2026-11-26T08:00")).toBe("Fri 27 Nov");
  expect(moment("not a moment")).toBe("not a moment");
});
