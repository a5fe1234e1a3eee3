import { expect, test } from "vitest";
import { alike, patched, unshown } from "./patch";

test.each([
  ["nothing was changed", { a: 1, hidden: 2 }, { a: 1 }, { a: 1 }, { a: 1, hidden: 2 }],
  ["a key is changed", { a: 1, hidden: 2 }, { a: 1 }, { a: 3 }, { a: 3, hidden: 2 }],
  ["a key is new", { hidden: 2 }, {}, { b: 3 }, { hidden: 2, b: 3 }],
  ["a key goes", { a: 1, hidden: 2 }, { a: 1 }, {}, { hidden: 2 }],
  ["what cannot be shown is written over", { t: "18:00:30" }, { t: "18:00" }, { t: "19:00" }, { t: "19:00" }],
  [
    "an object goes whose part was hidden",
    { w: { attr: { x: ["1"], y: ["2"] } } },
    { w: { attr: { x: ["1"] } } },
    {},
    { w: { attr: { y: ["2"] } } },
  ],
  ["an object goes that was shown whole", { w: { x: 1 }, z: 1 }, { w: { x: 1 }, z: 1 }, { z: 1 }, { z: 1 }],
  ["a list is exchanged", { l: ["a", "b"] }, { l: ["a", "b"] }, { l: ["c"] }, { l: ["c"] }],
  [
    "items of a list keep what is hidden in them, wherever they go",
    {
      l: [
        { n: 1, hidden: 1 },
        { n: 2, hidden: 2 },
      ],
    },
    { l: [{ n: 1 }, { n: 2 }] },
    { l: [{ n: 2 }] },
    { l: [{ n: 2, hidden: 2 }] },
  ],
  [
    "an item that is changed in its place keeps what is hidden in it",
    { l: [{ n: 1, hidden: 1 }, { n: 2 }] },
    { l: [{ n: 1 }, { n: 2 }] },
    { l: [{ n: 7 }, { n: 2 }] },
    { l: [{ n: 7, hidden: 1 }, { n: 2 }] },
  ],
  [
    "a part of which nothing was shown is added to",
    { w: { hidden: [] } },
    {},
    { w: { a: 1 } },
    { w: { hidden: [], a: 1 } },
  ],
  ["an empty object stays", { w: {}, a: 1 }, { a: 1 }, { a: 2 }, { w: {}, a: 2 }],
])("%s", (_, was, shown, next, want) => {
  expect(patched(was, shown, next)).toEqual(want);
});

test("what a form cannot show is named by its path", () => {
  expect(unshown({ a: 1, b: { c: [1, { d: 2 }], e: {} } }, { a: 1, b: { c: [1, {}] } })).toEqual([
    { path: "b.c[1].d", value: 2 },
    { path: "b.e", value: {} },
  ]);
  expect(unshown({ a: 1 }, { a: 1, b: 2 })).toEqual([]);
});

test("order makes no difference, absence and undefined neither", () => {
  expect(alike({ a: 1, b: [1, 2] }, { b: [1, 2], a: 1, c: undefined })).toBe(true);
  expect(alike({ a: 1 }, { a: "1" })).toBe(false);
  expect(alike([1], { 0: 1 })).toBe(false);
});
