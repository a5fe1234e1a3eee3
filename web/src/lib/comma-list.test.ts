import { expect, test } from "vitest";
import { commaList, fromCommaList } from "./comma-list";

test.each([
  [["NL", "BE"], "NL, BE"],
  [["dry, matte", "new"], '"dry, matte", new'],
  [['the "best"'], '"the ""best"""'],
  [[" a ", ""], '" a ", ""'],
  [[], ""],
  [["עברית", "🎨 x"], "עברית, 🎨 x"],
] as [string[], string][])("%j is typed as %s, and read back", (items, text) => {
  expect(commaList(items)).toBe(text);
  expect(fromCommaList(text)).toEqual(items);
});

test("what people leave behind is no item, and a quote still open takes what follows", () => {
  expect(fromCommaList(" a,, b ,")).toEqual(["a", "b"]);
  expect(fromCommaList('a, "dry, mat')).toEqual(["a", "dry, mat"]);
  expect(fromCommaList('12" board')).toEqual(['12" board']);
});
