// @vitest-environment jsdom
import { afterEach, describe, expect, test } from "vitest";
import { readDay, readDuration, readMonthDay, readNumber, readTime } from "./reading";
import { setWriting, type Writing } from "./writing";

const write = (numbers: Writing["numbers"]) => setWriting({ numbers, dates: "day", hours: 24 });
afterEach(() => write("1 234.56"));

const read = (typed: string) => {
  const r = readNumber(typed);
  return r === null ? null : "value" in r ? r.value : r.either.map((e) => e.value).join(" or ");
};

describe("numbers as people write them", () => {
  test.each<[string, string | null]>([
    ["22,5", "22.5"],
    ["22.5", "22.5"],
    ["1.234,56", "1234.56"],
    ["1,234.56", "1234.56"],
    ["1 234.56", "1234.56"],
    ["1’234.50", "1234.50"],
    ["1.234.567", "1234567"],
    ["€ 12,50", "12.50"],
    ["12.50 €", "12.50"],
    ["-$5", "-5"],
    ["15 %", "15"],
    ["\u2212 3", "-3"],
    [",5", "0.5"],
    ["007", "007"],
    ["0,125", "0.125"],
    ["12,", "12"],
    ["1,234", "1234 or 1.234"],
    ["1.234", "1.234"],
    ["12.34.56", null],
    ["1,23,456", null],
    ["1.2,3.4", null],
    ["twelve", null],
    ["1e5", null],
    ["--1", null],
    ["", null],
    ["1-2", null],
  ])("%s is %s", (typed, want) => expect(read(typed)).toBe(want));

  test("a mark means what it means to whoever writes", () => {
    write("1.234,56");
    expect(read("1.234")).toBe("1234");
    expect(read("1,234")).toBe("1.234");
    write("1,234.56");
    expect(read("1,234")).toBe("1234");
    expect(read("1.234")).toBe("1.234");
  });
});

test.each<[string, string | null]>([
  ["6:00", "06:00"],
  ["9.30", "09:30"],
  ["18h", "18:00"],
  ["6 pm", "18:00"],
  ["12am", "00:00"],
  ["12:15 pm", "12:15"],
  ["0900", "09:00"],
  ["18:00:30", "18:00:30"],
  ["noon", "12:00"],
  ["24:00", "00:00"],
  ["9:60", null],
  ["13 pm", null],
  ["9", null],
  ["", null],
])("the time %s is %s", (typed, want) => expect(readTime(typed)).toBe(want));

test.each<[string, string | null]>([
  ["26.12.2026", "2026-12-26"],
  ["27 nov", "2026-11-27"],
  ["26 Dec", "2026-12-26"],
  ["tomorrow", "2026-11-27"],
  ["mon 9:00", "2026-11-30 09:00"],
  ["+2w", "2026-12-24"],
  ["2026-11-28", "2026-11-28"],
  ["2026-04-31", null],
  ["9:00", null],
  ["soon", null],
  ["", null],
])("the day %s is %s", (typed, want) => {
  const r = readDay(typed, "2026-12-10", "2026-11-26T09:00");
  expect(r && `${r.date} ${r.time}`.trim()).toBe(want);
});

test.each<[string, string | null]>([
  ["03-01", "03-01"],
  ["1 mar", "03-01"],
  ["29.2.", "02-29"],
  ["tomorrow", null],
  ["+3", null],
])("the day of each year %s is %s", (typed, want) => expect(readMonthDay(typed)).toBe(want));

test.each<[string, number | null]>([
  ["30m", 30],
  ["30", 30],
  ["2 h", 120],
  ["1h 30m", 90],
  ["1:30", 90],
  ["1,5 h", 90],
  ["2 days", 2880],
  ["off", 0],
  ["soon", null],
  ["", null],
])("%s lasts %s minutes", (typed, want) => expect(readDuration(typed)).toBe(want));
