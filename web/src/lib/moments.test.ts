// @vitest-environment jsdom
import { afterEach, describe, expect, test } from "vitest";
import { moment } from "./format";
import { readMoment } from "./moments";
import { setWriting, type Writing } from "./writing";

const write = (as: Partial<Writing>) => setWriting({ numbers: "1 234.56", dates: "day", hours: 24, ...as });
const now = "2026-11-26T09:00";
const at = "2026-12-01T18:30";

describe("a moment that somebody types", () => {
  test.each<[string, string | null]>([
    ["now", "2026-11-26T09:00"],
    ["Today", "2026-11-26T00:00"],
    ["tomorrow 9:00", "2026-11-27T09:00"],
    ["yesterday 23:59", "2026-11-25T23:59"],
    ["+7", "2026-12-08T18:30"],
    ["-1", "2026-11-30T18:30"],
    ["+2w", "2026-12-15T18:30"],
    ["+ 3 hours", "2026-12-01T21:30"],
    ["18:00", "2026-12-01T18:00"],
    ["2026-11-28", "2026-11-28T00:00"],
    ["2026-11-28T09:00", "2026-11-28T09:00"],
    ["  2026-11-28   9:05 ", "2026-11-28T09:05"],
    ["28.11.2026 09:00", "2026-11-28T09:00"],
    ["28.11. 9:00", "2026-11-28T09:00"],
    ["28.11", "2026-11-28T00:00"],
    ["28/11/2026 09:00", "2026-11-28T09:00"],
    ["28 november 2026", "2026-11-28T00:00"],
    ["Sat 28 Nov 09:00", "2026-11-28T09:00"],
    ["Mon 4 Jan 2027 08:30", "2027-01-04T08:30"],
    ["Nov 28, 2026 6:05 PM", "2026-11-28T18:05"],
    ["28 Nov 12 am", "2026-11-28T00:00"],
    ["fri", "2026-11-27T00:00"],
    ["thursday 18:00", "2026-11-26T18:00"],
    ["wed", "2026-12-02T00:00"],
    ["Mon 28 Nov", null],
    ["31.4.2026", null],
    ["2026-11-28 24:00", null],
    ["28.11.2026 09:60", null],
    ["28.11.26", null],
    ["soon", null],
    ["", null],
    ["+", null],
    ["<b>now</b>", null],
  ])("%o", (typed, means) => expect(readMoment(typed, at, now)).toBe(means));
});

describe("what the field shows it also takes", () => {
  afterEach(() => write({}));
  for (const dates of ["day", "month", "year"] as const)
    for (const hours of [12, 24] as const)
      test(`${dates} first, ${hours} hours`, () => {
        write({ dates, hours });
        for (const m of ["2026-11-27T09:00", "2026-01-02T00:00", "2027-12-31T23:59", "2026-05-05T12:00"])
          expect(readMoment(moment(m, now), at, now), moment(m, now)).toBe(m);
      });
  test("the month first where it is written first", () => {
    write({ dates: "month" });
    expect(readMoment("11/28/2026", at, now)).toBe("2026-11-28T00:00");
  });
});
