import { describe, expect, test, vi } from "vitest";
import type { Where } from "../../api/client";
import { newGroup, newValues, readSelection, replaced, unfinished, writeSelection } from "./selection";

describe("a selection that was read and written again is the same", () => {
  const selections: [string, Where, Where?][] = [
    ["everything", { all: [] }],
    ["one category", { category: "Clay" }],
    ["a list of one becomes its text", { brand: ["Fernhask"] }, { brand: "Fernhask" }],
    ["all of several", { all: [{ tag: "glaze" }, { not: { category: "Glazes/Dipping" } }] }],
    ["any of groups", { any: [{ all: [{ sku: ["A", "B"] }, { stock: { min: "1" } }] }, { range: "underglazes" }] }],
    ["a span", { list: { min: "10", max: "20" } }],
    ["a span that a file wrote with numbers", { list: { min: 0, max: 20 } }, { list: { min: "0", max: "20" } }],
    ["an attribute by value", { attr: { cone: ["6", "7"] } }],
    ["an attribute by span", { attr: { kg: { min: "5" } } }],
    ["two attributes at once, which the builder keeps as they are", { attr: { kg: { min: "5" }, cone: ["6"] } }],
    ["reduced goods", { reduced: false }],
    ["everything but a group", { not: { any: [{ tag: "a" }, { tag: "b" }] } }],
    ["a group of one", { all: [{ tag: "a, b" }] }],
    ["values with commas", { attr: { glaze: ["dry, matte", "raw"] } }],
    ["a value that is a number in a file", { not: { not: { attr: { cone: "6" } } } }],
  ];
  test.each(selections)("%s", (_, where, other) =>
    expect(writeSelection(readSelection(where))).toEqual(other ?? where),
  );
});

test("nothing chosen is no selection: it is not the same as everything", () => {
  expect(writeSelection(readSelection(undefined))).toBeUndefined();
  expect(writeSelection({ everything: true, root: newGroup() })).toEqual({ all: [] });
});

test("a part is replaced or taken out wherever it stands", () => {
  const inner = newValues("tag", ["a"]);
  const group = { ...newGroup("all"), parts: [newValues("brand", ["x"]), { ...newGroup("any"), parts: [inner] }] };
  const changed = replaced(group, inner.id, { ...inner, values: ["b"] } as typeof inner);
  expect(writeSelection({ everything: false, root: changed })).toEqual({
    all: [{ brand: "x" }, { any: [{ tag: "b" }] }],
  });
  expect(replaced(group, inner.id, null).parts[1]).toMatchObject({ parts: [] });
});

describe("what is unfinished says so", () => {
  test("a list without values", () => expect(unfinished(newValues("sku"))).toContain("at least one SKU"));
  test("an empty group", () => expect(unfinished(newGroup())).toContain("without conditions"));
  test("the first open condition in a group", () =>
    expect(unfinished({ ...newGroup("all"), parts: [newValues("tag", ["a"]), newValues("brand")] })).toContain(
      "brand",
    ));
  test("a finished one is silent", () => expect(unfinished(newValues("tag", ["a"]))).toBe(""));
});

test("a condition that is added after the page was loaded again is another than those of the draft", async () => {
  const page = async () => {
    vi.resetModules();
    const of = await import("./selection");
    return [of.newGroup(), of.newValues("sku"), of.newValues("brand")];
  };
  const left = await page();
  const added = await page();
  expect(new Set([...left, ...added].map((p) => p.id)).size).toBe(6);
});
