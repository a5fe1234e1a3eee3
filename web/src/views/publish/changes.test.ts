import { expect, test } from "vitest";
import { difference } from "../../testing/shop";
import { chosen, passes, type ChangeFilter, type Decision } from "./changes";

const any: ChangeFilter = { kind: "", rule: "", category: "", q: "" };
const rows = [
  difference({ sku: "A", category: "Clay" }),
  difference({ sku: "B", category: "Clay/Stoneware", blocked: ["below-cost"] }),
  difference({ sku: "C", category: "Clayware", held: true, blocked: ["below-cost"] }),
  difference({ sku: "D & <d>", name: "طين", kind: "gone", rules: ["R"] }),
];
const of = { total: 4, blocked: 1, held: 1 };
const decided = (...list: [number, string, boolean | undefined][]): Decision[] =>
  list.map(([i, reason, out]) => ({ row: rows[i] ?? difference({}), reason, out }));

test.each<[Partial<ChangeFilter>, string[]]>([
  [{}, ["A", "B", "C", "D & <d>"]],
  [{ kind: "gone" }, ["D & <d>"]],
  [{ kind: "blocked" }, ["B"]],
  [{ kind: "held" }, ["C"]],
  [{ rule: "R" }, ["D & <d>"]],
  [{ category: "Clay" }, ["A", "B", "D & <d>"]],
  [{ q: " طين  <D> " }, ["D & <d>"]],
  [{ q: "طين a" }, []],
])("%o leaves %o", (filter, skus) => {
  expect(rows.filter((r) => passes(r, { ...any, ...filter })).map((r) => r.sku)).toEqual(skus);
});

test("all go but what is held, left out, or blocked without a reason", () => {
  expect(chosen(of, true, [], any)).toEqual({ count: 3, undecided: 1, overrides: {}, out: [], only: [] });
  expect(chosen(of, true, decided([1, " because ", undefined], [0, "", true], [2, "x", true]), any)).toEqual({
    count: 2,
    undecided: 0,
    overrides: { B: "because" },
    out: ["A"],
    only: [],
  });
  expect(chosen(of, true, decided([1, "begun", true]), any)).toMatchObject({ count: 2, undecided: 0, overrides: {} });
});

test("none go but what is taken in", () => {
  expect(chosen(of, false, decided([1, "", false], [0, "", undefined], [2, "", false]), any)).toEqual({
    count: 1,
    undecided: 1,
    overrides: {},
    out: [],
    only: ["B"],
  });
});

test("what was decided of rows that the filter hides counts for nothing", () => {
  const gone = { total: 1, blocked: 0, held: 0 };
  expect(chosen(gone, true, decided([0, "", true], [1, "x", undefined]), { ...any, kind: "gone" })).toEqual({
    count: 1,
    undecided: 0,
    overrides: {},
    out: [],
    only: [],
  });
});
