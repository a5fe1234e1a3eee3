import { expect, test } from "vitest";
import { difference } from "../../testing/shop";
import { chosen, type Decision } from "./changes";

const stop = { kind: "below-cost", quantity: 1 };
const rows = [
  difference({ sku: "A", category: "Clay" }),
  difference({ sku: "B", category: "Clay/Stoneware", blocked: [stop] }),
  difference({ sku: "C", category: "Clayware", held: true, blocked: [stop] }),
  difference({ sku: "D & <d>", name: "طين", kind: "gone", rules: ["R"] }),
];
const of = { going: 3, blocked: 1 };
const decided = (...list: [number, Partial<Decision>][]): Decision[] =>
  list.map(([i, d]) => ({ row: rows[i] ?? difference({}), reason: "", ...d }));
const none = { overrides: {}, leaveOut: [], without: [], only: [] };

test("all go but what is held, left out, unticked, or blocked without a reason", () => {
  expect(chosen(of, true, [], false)).toEqual({ ...none, count: 3, undecided: 1 });
  const three = decided([1, { reason: " because " }], [0, { goes: false }], [2, { reason: "x", goes: false }]);
  expect(chosen(of, true, three, false)).toEqual({
    ...none,
    count: 2,
    undecided: 0,
    overrides: { B: "because" },
    without: ["A"],
  });
  expect(chosen(of, true, decided([1, { reason: "begun", leaveOut: true }]), false)).toEqual({
    ...none,
    count: 2,
    undecided: 0,
    leaveOut: ["B"],
  });
});

test("none go but what is ticked", () => {
  expect(chosen(of, false, decided([1, { goes: true }], [0, {}], [2, { goes: true }]), false)).toEqual({
    ...none,
    count: 1,
    undecided: 1,
    only: ["B"],
  });
});

test("all that is blocked is left out at once, but for what has a reason", () => {
  expect(chosen(of, true, [], true)).toEqual({ ...none, count: 2, undecided: 0 });
  expect(chosen({ going: 3, blocked: 2 }, true, decided([1, { reason: "so" }]), true)).toEqual({
    ...none,
    count: 2,
    undecided: 0,
    overrides: { B: "so" },
  });
});
