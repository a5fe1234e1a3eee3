import { describe, expect, test } from "vitest";
import type { Rule } from "../../api/client";
import { firstDifference, openMoment, scaleOf, spanAround, ticks, zooms } from "./scale";

describe("spans", () => {
  test.each(zooms)("a %s holds the moment it is around", (zoom) => {
    const { from, to } = spanAround(zoom, "2026-11-26T09:00");
    expect(from <= "2026-11-26T09:00" && "2026-11-26T09:00" < to).toBe(true);
    const marks = ticks(scaleOf(from, to, zoom));
    expect(marks.length).toBeGreaterThan(5);
    expect(marks.length).toBeLessThan(40);
    expect(marks.every((m) => m.at >= from && m.at < to)).toBe(true);
  });
  test("a week begins on Monday", () => expect(spanAround("week", "2026-11-26T09:00").from).toBe("2026-11-23T00:00"));
});

describe("scale", () => {
  const s = scaleOf("2026-11-23T00:00", "2026-11-30T00:00", "week");
  test("places", () => {
    expect(s.at("2026-11-23T00:00")).toBe(0);
    expect(s.at("2026-11-26T12:00")).toBe(0.5);
    expect(s.at("2027-01-01T00:00")).toBe(1);
  });
  test("a dragged end jumps to whole hours", () => expect(s.moved("2026-11-24T18:00", 0.101)).toBe("2026-11-25T11:00"));
  test("and to whole days over a month, also over the change of clocks", () =>
    expect(scaleOf("2026-10-20T00:00", "2026-11-24T00:00", "month").moved("2026-10-24T00:00", 2 / 35)).toBe(
      "2026-10-26T00:00",
    ));
});

describe("the moment at which a moved window differs", () => {
  const before = { from: "2026-11-27T00:00", to: "2026-11-30T00:00" };
  const now = "2026-11-26T09:00";
  test("a later end: the old end", () =>
    expect(firstDifference(undefined, before, { ...before, to: "2026-12-02T00:00" }, now)).toBe("2026-11-30T00:00"));
  test("an earlier end: the new end", () =>
    expect(firstDifference(undefined, before, { ...before, to: "2026-11-29T00:00" }, now)).toBe("2026-11-29T00:00"));
  test("a start that was in the past: now", () =>
    expect(
      firstDifference(undefined, { from: "2026-11-20T00:00", to: "" }, { from: "2026-11-28T00:00", to: "" }, now),
    ).toBe(now));
  test("moved as a whole: where it began before or begins now, whichever comes first", () =>
    expect(firstDifference(undefined, before, { from: "2026-11-28T00:00", to: "2026-12-01T00:00" }, now)).toBe(
      "2026-11-27T00:00",
    ));
  test("weekdays and hours: when it is open", () => {
    const w: Rule["window"] = { days: ["mon"], hours: ["18:00", "20:00"] };
    expect(openMoment(w, "2026-11-27T00:00", "2026-12-05T00:00")).toBe("2026-11-30T18:00");
    expect(openMoment(w, "2026-11-27T00:00", "2026-11-29T00:00")).toBe("2026-11-27T00:00");
  });
});
