// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Impact, Rule } from "../../../api/client";
import { page } from "../../../testing/page";
import { program } from "../../../testing/server";
import { customers, groups, shopState } from "../../../testing/shop";
import { ImpactPanel } from "./ImpactPanel";

const impact: Impact = {
  applies: 3,
  at: "2026-11-27T09:00",
  below: 1,
  changes: { counts: [0, 2, 1], from: -10, width: 5, mean: "-4.2" },
  channel: "web",
  checks: [],
  cleared: 0,
  currency: "EUR",
  demands: [],
  down: 2,
  errors: [],
  example: null,
  marginAfter: "30.10",
  marginBefore: "35.20",
  moved: 3,
  movers: [
    {
      sku: "=A",
      name: "Buff & <clay>",
      before: "1500",
      after: "1350.5",
      change: "-149.5",
      below: true,
      margin: "-3.25",
    },
    { sku: "B", name: "", before: null, after: "9.00", change: null, below: false, margin: null },
  ],
  never: false,
  newBelow: 1,
  quantity: 12,
  reach: 5,
  sample: ["Buff & <clay>", "B"],
  shifted: true,
  unfixed: [],
  up: 1,
  who: "group:trade",
} as unknown as Impact;

function panel(of: Partial<Impact> | undefined, error: unknown = null, elsewhere: object = { others: [], unseen: 0 }) {
  program({
    "POST /api/impact/elsewhere": elsewhere,
    "GET /api/rules": { rules: [{ rule: { code: "QUAY", name: "Quay & <co>" } }] },
    "GET /api/state": shopState,
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
  });
  page(
    <ImpactPanel
      impact={of && { ...impact, ...of }}
      error={error}
      stale={false}
      blocked={false}
      rule={{ code: "R" } as Rule}
      replaces=""
      onTake={() => undefined}
    />,
  );
  return screen.getByLabelText("Impact");
}

test("before the sentence is complete, and when the program cannot say, that stands there", () => {
  expect(panel(undefined).textContent).toContain("Once the sentence is complete");
  expect(panel({ errors: [{ path: "where", problem: "is missing" }] as Impact["errors"] }).textContent).not.toContain(
    "reached",
  );
});

test("from where it is looked at: channel, whom, how many, and when it is open", async () => {
  panel({});
  expect(
    await screen.findByText(/At the web shop for Trade & “friends”, 12 pieces, Fri 27 Nov 09:00, when it is open/),
  ).toBeTruthy();
});

test("how many products, how they move, and what comes to lie below cost", () => {
  const said = panel({}).textContent;
  expect(screen.getByTestId("reach").textContent).toBe("5");
  expect(screen.getByTestId("changed").textContent).toBe("3");
  expect(said).toContain(
    "2 down, 1 up. It makes the price of 3; of the rest another rule does, or a floor, or they have none. Mean margin 35.20 % → 30.10 %.",
  );
  expect(said).toContain("1 product comes to lie below cost.");
  expect(screen.getByRole("figure", { name: "Changes in percent: 2 by -5 to 0 %, 1 by 0 to 5 %" })).toBeTruthy();
});

test("the biggest changes, also of what had no price before", () => {
  panel({});
  const rows = screen.getAllByRole("row").map((r) => [...r.children].map((c) => c.textContent));
  expect(rows).toEqual([
    ["Buff & <clay>", "1\u202f500", "1\u202f350.5", "−149.5", "−3.25 %"],
    ["B", "–", "9.00", "", ""],
  ]);
});

test("a rule that never opens again, or moves nothing, says so", () => {
  expect(panel({ never: true }).textContent).toContain("open at no moment from now on");
  expect(panel({ moved: 0, movers: [] }).textContent).toContain("No price would differ");
});

test("whose prices move elsewhere is told, also where none of those looked at does", async () => {
  const others = [
    { who: "group:trade", channel: "web", moved: 14, up: 14, down: 0 },
    { who: "", channel: "quay", moved: 3, up: 1, down: 2 },
  ];
  const said = panel({ moved: 0, movers: [], who: "" }, null, { others, unseen: 7 });
  expect((await screen.findByTestId("elsewhere")).textContent).toBe(
    "Elsewhere: Trade & “friends” 14 up, the shop on the quay 1 up, 2 down. 7 further customers with terms of their own were not looked at.",
  );
  expect(said.textContent).toContain("For everyone no price would differ.");
});

test("one product is followed through the rule, or the reason why it is not at work there", async () => {
  const example: Impact["example"] = {
    sku: "=A",
    name: "Buff & <clay>",
    before: "16.00",
    raw: "14.40",
    shaped: ["ending", "floor"],
    after: "14.95",
    final: "18.09",
    cost: "9.00",
    margin: "39.80",
    marginAmount: "5.95",
    stock: "7",
    sold: null,
  };
  panel({ example });
  expect(screen.getByTestId("example").textContent).toBe(
    "For example Buff & <clay>16.00 → 14.40, ending, floor 14.95 → 18.09cost 9.00, margin 5.95, 39.80 %7 in stock",
  );
  panel({ example: { ...example, missed: "outranked", by: "QUAY", margin: null, marginAmount: null, stock: null } });
  expect(await screen.findByText(/Here the rule is outranked by Quay & <co>. The price stays 18.09./)).toBeTruthy();
  panel({ quantity: 21, example: { ...example, pieces: 11, each: "15.76" } });
  expect(screen.getByTestId("example").textContent).toContain("for 11 of 21 pieces, 15.76 a piece over all of them");
});

test("what is assumed of the buyer is said, and what may change a price that is meant to be fixed", () => {
  const said = panel({
    as: { first: true, country: "DE", attrs: { region: "=north" } },
    unfixed: [
      { kind: "rule-ends", layer: "sale", rule: { code: "A/B", name: "Quay & <clay>", layer: "sale" } },
      { kind: "mode", layer: "group" },
    ],
  });
  expect(said.textContent).toContain("on a first order, in DE, whose region is =north");
  expect(said.textContent).toContain("Quay & <clay>, in the sale layer, ends the price before it.");
  expect(said.textContent).toContain("in the group terms layer it is not the first rule that is used");
});
