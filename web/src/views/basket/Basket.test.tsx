// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program, type Asked } from "../../testing/server";
import { administrator, customers, groups, shopState } from "../../testing/shop";
import { Basket } from "./Basket";

interface Line {
  sku: string;
  quantity: number;
}

const goods = [
  { sku: "=B", name: "Buff & <clay>", unit: "each", options: [{ code: "engrave", price: "6.00" }], cost: true },
  { sku: "W", name: "عجلة wheel", unit: "day", options: [], cost: false },
];

/** What a basket costs where every piece costs 10. */
const answered = ({ lines }: { lines: Line[] }, more: object = {}) => ({
  at: "2026-11-26T09:00",
  doc: { at: "2026-11-26T09:00", lines },
  goods,
  rules: [
    { code: "THREE", name: "Three & two", layer: "promotion" },
    { code: "SIX", name: "By the <six>", layer: "tier" },
  ],
  opens: {},
  unmet: {},
  answer: {
    currency: "EUR",
    exact: true,
    lines: lines.map((l) => ({
      sku: l.sku,
      quantity: l.quantity,
      list: "10.00",
      unit: "10.00",
      subtotal: `${l.quantity * 10}.00`,
      total: `${l.quantity * 10}.00`,
      margin: null,
      portions: [{ quantity: l.quantity, unit: "10.00", rules: ["SIX"] }],
    })),
    offers: [],
    subtotal: "0.00",
    off: "0.00",
    shipping: null,
    total: `${lines.reduce((n, l) => n + l.quantity * 10, 0)}.00`,
    tax: [],
    margin: null,
    problems: [],
    missed: [{ rule: "THREE", reason: "needs", counted: "2", wanted: "3" }],
    nudges: [
      { rule: "THREE", add: [{ sku: "=B", quantity: 1 }], costs: "0.00", saves: "10.00" },
      { rule: "SIX", add: [{ sku: "=B", quantity: 1 }], costs: "0.00", saves: "10.00" },
    ],
    ...more,
  },
});

let asked: Asked[] = [];

function till(give: (a: Asked) => { status?: number; body: unknown }) {
  asked = program({
    "GET /api/state": shopState,
    "GET /api/session": administrator,
    ...Object.fromEntries(
      ["ranges", "ladders", "campaigns", "channels"].map((kind) => [`GET /api/items/${kind}`, { items: [] }]),
    ),
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
    "GET /api/board": { rows: [{ sku: "=B", name: "Buff & <clay>" }] },
    "POST /api/basket": give,
    "POST /api/checks": () => ({ body: {} }),
  });
}

const at = (lines: object[]) => `/basket?lines=${encodeURIComponent(JSON.stringify(lines))}`;
const of = (a: Asked) => a.body as { lines: Line[]; before?: Line[] };

beforeEach(() => {
  sessionStorage.clear();
  till((a) => ({ body: answered(of(a)) }));
});

test("an empty basket says what to do; one that an address names wrongly is empty", () => {
  page(<Basket />, "/basket?lines=%7Bnonsense");
  expect(screen.getByText("The basket is empty")).toBeTruthy();
});

test("what is typed and sent without a pause goes in, with how many; the basket is the address", async () => {
  const p = page(<Basket />, "/basket");
  const field = screen.getByLabelText("Put goods in");
  await p.user.type(field, "3 x buff{Enter}2 buff{Enter}");
  await waitFor(() => expect(decodeURIComponent(p.address())).toContain('[{"sku":"=B","quantity":5}]'));
  expect(await screen.findByTestId("basket-total")).toBeTruthy();
});

test("more and fewer pieces say what was before, so that the answer tells what changed", async () => {
  const p = page(<Basket />, at([{ sku: "=B", quantity: 2 }]));
  await screen.findByTestId("basket-total");
  await p.user.click(screen.getByRole("button", { name: "One more of Buff & <clay>" }));
  await waitFor(() => expect(of(asked.at(-1) as Asked).lines).toEqual([{ sku: "=B", quantity: 3 }]));
  expect(of(asked.at(-1) as Asked).before).toEqual([{ sku: "=B", quantity: 2 }]);
});

test("options, days of hire and a reduction by hand go with their line", async () => {
  const p = page(
    <Basket />,
    at([
      { sku: "=B", quantity: 1 },
      { sku: "W", quantity: 1 },
    ]),
  );
  await p.user.click(await screen.findByLabelText(/engrave/));
  await p.user.click(screen.getByRole("button", { name: "+ days of hire, now one" }));
  await p.user.click(screen.getAllByRole("button", { name: "+ off by hand" })[0] as HTMLElement);
  await p.user.type(screen.getByLabelText("Off by hand from Buff & <clay>"), "2.5");
  await waitFor(() =>
    expect(of(asked.at(-1) as Asked).lines).toEqual([
      { sku: "=B", quantity: 1, options: ["engrave"], byHand: { percentOff: "2.5" } },
      { sku: "W", quantity: 1, hire: { from: "2026-11-26T09:00", to: "2026-11-26T09:00" } },
    ]),
  );
});

test("what is wrong with a line stands beside it, and the lines stay", async () => {
  till(() =>
    problem(422, "This cannot be saved as it is.", {
      errors: [{ location: "lines[0].quantity", message: "must be at least 1" }],
    }),
  );
  page(<Basket />, at([{ sku: "=B", quantity: 0 }]));
  expect(await screen.findByText("Must be at least 1.")).toBeTruthy();
  expect(screen.getByText(/nothing is lost/)).toBeTruthy();
});

test("what to add next is told once for all its rules, and goes in; what did not apply says what it wants", async () => {
  const p = page(<Basket />, at([{ sku: "=B", quantity: 2 }]));
  const nudges = await screen.findByTestId("nudges");
  expect(within(nudges).getAllByRole("listitem")).toHaveLength(1);
  expect(nudges.textContent).toContain("for Three & two and By the <six>: costs nothing more, saves 10.00");
  expect(screen.getByTestId("missed").textContent).toContain("wants 3 of its goods, and 2 are here");
  await p.user.click(within(nudges).getByRole("button"));
  await waitFor(() => expect(of(asked.at(-1) as Asked).lines).toEqual([{ sku: "=B", quantity: 3 }]));
});

test("it is pinned with the question that was answered", async () => {
  const p = page(<Basket />, at([{ sku: "=B", quantity: 2 }]));
  await p.user.click(await screen.findByRole("button", { name: "Pin as check" }));
  await p.user.click(screen.getByRole("button", { name: "Pin the basket" }));
  await screen.findByRole("button", { name: "Pinned" });
  expect(asked.find((a) => a.path === "/api/checks")?.body).toEqual({
    name: "2 Buff & <clay>",
    doc: { basket: { at: "2026-11-26T09:00", lines: [{ sku: "=B", quantity: 2 }] }, is: { total: "20.00" } },
  });
});

test("whoever comes back finds the basket as it was left", async () => {
  const p = page(<Basket />, at([{ sku: "=B", quantity: 2 }]));
  await screen.findByTestId("basket-total");
  p.away();
  window.history.replaceState(null, "", "/basket");
  const again = page(<Basket />, "/basket");
  await waitFor(() => expect(decodeURIComponent(again.address())).toContain('"quantity":2'));
});
