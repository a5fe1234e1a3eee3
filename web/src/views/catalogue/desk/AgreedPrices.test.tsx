// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../../testing/page";
import { program } from "../../../testing/server";
import { shopState } from "../../../testing/shop";
import { AgreedPrices } from "./AgreedPrices";

const prices = [
  { sku: "A & 1", name: "Cup <b>", list: "10.00", price: "9.50", pays: "9.50", group: "9.00", dearer: true },
  { sku: "B", name: "Bowl", list: "20.00", price: "15.00", pays: "12.00", group: "18.00", dearer: false },
];

const unfixed = [{ kind: "rule-ends", layer: "sale", rule: { code: "A/B", name: "Quay & <clay>", layer: "sale" } }];

function desk(compared: object) {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/session": { name: "maren", role: "manager", demo: [] },
    "GET /api/customers/C1/agreed": { prices, rules: [], fixed: true, unfixed },
    "GET /api/customers/C1/agreed/compare": compared,
    "GET /api/board": { rows: [{ sku: "A & 1", name: "Cup <b>" }], total: 1 },
    "PUT /api/customers/C1/agreed": { version: 13, entry: 1 },
    "PUT /api/customers/C1/agreed/fixed": { version: 13, entry: 2 },
  });
  return { ...page(<AgreedPrices customer="C1" />), asked };
}

test("a price dearer than the group's says so in the list and while it is written", async () => {
  const { user, asked } = desk({ group: "9.00", dearer: true });
  const first = (await screen.findByText("Cup <b>")).closest("tr");
  expect(first && within(first).getByText("dearer")).toBeTruthy();
  expect(screen.getAllByText("dearer")).toHaveLength(1);
  await user.type(screen.getByLabelText("SKU of an agreed price"), "cup");
  await user.click(await screen.findByRole("option", { name: /Cup <b>/ }));
  await user.type(screen.getByLabelText("Agreed price"), "9.10");
  expect((await screen.findByTestId("dearer")).textContent).toContain("Dearer than the 9.00");
  const query = asked.findLast((a) => a.path.endsWith("/compare"))?.query;
  expect(Object.fromEntries(query ?? [])).toEqual({ sku: "A & 1", price: "9.10" });
  await user.keyboard("{Enter}");
  await waitFor(() => {
    expect(asked.find((a) => a.method === "PUT")?.body).toEqual({ sku: "A & 1", price: "9.10" });
  });
});

test("that nothing else changes them is one choice, and what does all the same is told", async () => {
  const { user, asked } = desk({ group: "9.00", dearer: false });
  await user.click(await screen.findByLabelText(/fixed: nothing else changes these prices/));
  await waitFor(() => {
    expect(asked.find((a) => a.path.endsWith("/fixed"))?.body).toEqual({ fixed: false });
  });
  expect(screen.getByLabelText("What may still change it").textContent).toContain(
    "Quay & <clay>, in the sale layer, ends the price before it.",
  );
});
