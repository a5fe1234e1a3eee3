// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Flag } from "../../api/client";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { customers, groups, shopState } from "../../testing/shop";
import { Flags } from "./Flags";

const witness = { at: "2026-11-27T09:00", sku: "=A&B", quantity: 12, groups: ["trade"] };
const flag = (parts: Partial<Flag>): Flag => ({
  kind: "below-cost",
  severity: "error",
  sku: "=A&B",
  channel: "web",
  currency: "EUR",
  price: "4.00",
  cost: "1250.5",
  left: "-0.50",
  rules: ["A/B"],
  witness,
  ...parts,
});

async function view(flags: Flag[], more: object = {}) {
  program({
    "GET /api/flags": {
      flags,
      names: { "=A&B": "Buff <clay> & “grog”" },
      searching: false,
      to: "2026-12-26T00:00",
      ...more,
    },
    "GET /api/state": shopState,
    "GET /api/rules": { rules: [{ rule: { code: "A/B", name: "Quay & <clay>", layer: "sale" }, etag: "1" }] },
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
  });
  page(<Flags />, "/flags?channel=quay&q=x");
  await screen.findByRole("heading", { name: "Flags" });
}

test("a loss is told with the product's name, what it loses, by which rule, and a way to see it", async () => {
  await view([flag({}), flag({ channel: "quay", witness: { ...witness, quantity: 1, groups: [] } })]);
  const loss = await screen.findByRole("region", { name: "Below cost" });
  expect(within(loss).getByRole("heading").textContent).toBe("Below cost 1");
  const line = within(loss).getByRole("listitem");
  expect(line.textContent).toContain(
    "Buff <clay> & “grog” =A&B sells at 4.00, it costs 1\u202f250.5: each sale loses 0.50 after tax and fees, made by",
  );
  const rule = await within(line).findByRole("link", { name: "Quay & <clay>" });
  expect(rule.getAttribute("href")).toBe("/stack/rule/A%2FB?channel=quay");
  await within(line).findByText(/web shop, Trade & “friends”, Fri 27 Nov 09:00, 12 pieces/);
  const [first, second] = within(line).getAllByRole("link", { name: "Show me" });
  const address = (link: HTMLElement | undefined) =>
    Object.fromEntries(new URL(link?.getAttribute("href") ?? "", "http://x").searchParams);
  expect(address(first)).toEqual({
    channel: "web",
    at: "2026-11-27T09:00",
    sku: "=A&B",
    trail: "open",
    q: "=A&B",
    who: "group:trade",
    quantity: "12",
  });
  expect(address(second)).not.toHaveProperty("quantity");
});

test("a list price that is too low is no rule's doing", async () => {
  await view([flag({ rules: [] })]);
  expect((await screen.findByRole("listitem")).textContent).toContain("No rule is at work, its list price is too low");
});

test("the sum of a loss adds up for a reader, and a loss of less than the smallest coin is none of 0.00", async () => {
  const margin = { net: "3030.99", fee: "333.66", cost: "2915.00", amount: "-217.67", percent: "-7.18" };
  await view([flag({ price: "3667.50", cost: "3527.15", left: "-217.67", margin })]);
  expect((await screen.findByRole("listitem")).textContent).toContain(
    "sells at 3\u202f667.50 (3\u202f030.99 without tax), the channel keeps 333.66, it costs 2\u202f915.00: each sale loses 217.67, made by",
  );
  await view([flag({ left: "0.00" })]);
  expect((await screen.findByRole("listitem")).textContent).toContain("each sale loses less than 0.01");
});

test("two rules of one rank are named together with both prices", async () => {
  await view([flag({ kind: "tie", rules: ["A/B", "C"], price: "4.00", other: "5.00", severity: "warning" })]);
  const line = await screen.findByRole("listitem");
  await within(line).findByRole("link", { name: "Quay & <clay>" });
  expect(line.textContent).toContain("Quay & <clay> and C have the same rank");
  expect(line.textContent).toContain("they give 4.00, which is used, and 5.00");
});

test("no trouble is said, but not while it is still looked for", async () => {
  await view([]);
  expect(screen.getByText("No trouble found")).toBeTruthy();
  await view([], { searching: true });
  expect(await screen.findByText("Looking at the newest change …")).toBeTruthy();
});

test("what cannot be had says why", async () => {
  program({ "GET /api/flags": () => problem(503, "The database is away since 09:00."), "GET /api/state": shopState });
  page(<Flags />);
  expect((await screen.findByRole("alert")).textContent).toContain("The database is away since 09:00.");
});
