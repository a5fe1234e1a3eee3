import { describe, expect, test } from "vitest";
import { addressOf, carried, noFilter, readCalendar, readFilter, readNewRule, readViewpoint } from "./address";
import { guest } from "../testing/shop";

const params = (query: string) => new URLSearchParams(query);

describe("a board's filter", () => {
  test("what an address does not say is the ordinary", () => {
    expect(noFilter).toMatchObject({ q: "", show: "all", sort: "category", desc: false, spread: "", margin: "" });
  });

  test("what it says is kept as it is", () => {
    const f = readFilter(params("q=%3D1%2B1%26%3Cb%3E&show=below-cost&sort=margin&desc=true&margin=-5:12.5"));
    expect(f).toMatchObject({ q: "=1+1&<b>", show: "below-cost", sort: "margin", desc: true, margin: "-5:12.5" });
  });

  test.each([
    ["show=everything", "show", "all"],
    ["sort=constructor", "sort", "category"],
    ["desc=1", "desc", false],
    ["spread=moon", "spread", ""],
    ["margin=low", "margin", ""],
    ["margin=1:2:3", "margin", ""],
    ["change=5", "change", ""],
  ] as const)("%s cannot be meant", (query, key, value) => expect(readFilter(params(query))[key]).toBe(value));

  test("a view that was kept under an earlier name of the margin's amount still sorts by it", () => {
    expect(readFilter(params("sort=left")).sort).toBe("margin-amount");
  });
});

describe("a viewpoint", () => {
  const read = (query: string) => readViewpoint(params(query), "web");

  test("the first channel, one piece, everyone, now", () => {
    expect(read("")).toEqual(guest);
  });
  test("what is assumed of the buyer", () => {
    expect(read("first=no&signed-in=yes&country=DE&attrs=region%3D%2526%253C")).toMatchObject({
      first: "no",
      signedIn: "yes",
      country: "DE",
      attrs: "region=%26%3C",
    });
    expect(read("first=true&signed-in=maybe")).toMatchObject({ first: "", signedIn: "" });
  });
  test("no channel is not the first one", () => expect(read("channel=none").channel).toBe(""));
  test("drafts that count as on", () => expect(read("with=A,B").with).toEqual(["A", "B"]));
  test.each(["0", "-3", "1.5", "ten", "1e9", "10000001"])("a quantity of %s is one piece", (n) => {
    expect(read(`quantity=${n}`).quantity).toBe(1);
  });
  test.each(["trade", "group:", "colour:red"])("%s is nobody", (who) => expect(read(`who=${who}`).who).toBe(""));
  test("a customer's code may hold a colon", () => expect(read("who=customer:a:b").who).toBe("customer:a:b"));
  test.each(["now", "2026-11-27", "27.11.2026 09:00"])("%s is no moment", (at) => expect(read(`at=${at}`).at).toBe(""));
});

test("a calendar and a new rule", () => {
  expect(readCalendar(params("zoom=decade&around=soon"))).toEqual({ zoom: "month", around: "" });
  expect(readNewRule(params("layer=constructor&copy=R"))).toMatchObject({ layer: "sale", copy: "R" });
});

test("the viewpoint goes along from view to view, the filter of a view does not", () => {
  const at = params("q=clay&sort=price&channel=web&who=group:trade&sku=A%26B&trail=open&first=yes&attrs=a%3Db");
  expect([...params(carried(at)).keys()]).toEqual(["channel", "who", "first", "attrs", "sku", "trail"]);
  expect(carried(params("q=clay"))).toBe("");
  const to = new URL(addressOf("/stack/rule/A%2FB", at, { who: "customer:C & <D>" }), "http://x");
  expect(to.pathname).toBe("/stack/rule/A%2FB");
  expect(to.searchParams.get("who")).toBe("customer:C & <D>");
  expect(to.searchParams.get("sku")).toBe("A&B");
});
