// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Outlook } from "../../api/client";
import { page } from "../../testing/page";
import { program } from "../../testing/server";
import { guest, shopState } from "../../testing/shop";
import { Elsewhere } from "./Elsewhere";

const outlook: Outlook = {
  cost: "9.00",
  currency: "EUR",
  lowest30: { price: "14.95", from: "2026-11-02T00:00" },
  over: [
    { at: "2026-11-26T09:00", price: "15.90" },
    { at: "2026-11-27T09:00", price: "1312.72" },
  ],
  quantities: [1, 3, 10, 20],
  rows: [
    { who: "", name: "everyone", prices: ["15.90", "15.90", "14.90", "14.90"] },
    { who: "group:trade", name: "Trade & “friends”", prices: ["15.90", "15.90", "13.90", "13.90"] },
    { who: "group:none", name: "<none>", prices: [null, null, null, null] },
  ],
  rules: [{ code: "A/B", name: "Quay & <clay>", layer: "sale", state: "opens", next: "2026-11-27T09:00" }],
  to: "2027-02-24T09:00",
};
const viewpoint = { ...guest, who: "group:trade" };

async function drawn(of: Partial<Outlook> = {}) {
  program({ "GET /api/outlook": { ...outlook, ...of }, "GET /api/state": shopState });
  const p = page(<Elsewhere viewpoint={viewpoint} sku="CLAY-1" open />, "/board?channel=web&sku=CLAY-1");
  return { ...p, matrix: await screen.findByTestId("matrix") };
}

test("quantities at which no price differs share a column", async () => {
  const { matrix } = await drawn();
  expect(
    within(matrix)
      .getAllByRole("columnheader")
      .map((h) => h.textContent),
  ).toEqual(["from", "1", "10"]);
  const cells = within(matrix)
    .getAllByRole("row")
    .slice(1)
    .map((r) => [...r.children].map((c) => c.textContent));
  expect(cells).toEqual([
    ["everyone", "15.90", "14.90"],
    ["Trade & “friends”", "15.90", "13.90"],
    ["<none>", "–", "–"],
  ]);
});

test("a price that ends or begins with a quantity is a column of its own", async () => {
  const rows = [{ who: "", name: "everyone", prices: [null, "15.90", "15.90", null] }];
  const { matrix } = await drawn({ rows });
  expect(
    within(matrix)
      .getAllByRole("columnheader")
      .map((h) => h.textContent),
  ).toEqual(["from", "1", "3", "20"]);
});

test("what moves is said in words, with the lowest of the last 30 days and each rule's state", async () => {
  await drawn();
  expect(
    screen.getByRole("img", {
      name: "Price over 90 days: 15.90 from Thu 26 Nov 09:00, 1\u202f312.72 from Fri 27 Nov 09:00",
    }),
  ).toBeTruthy();
  expect(screen.getByTestId("lowest30").textContent).toContain("14.95 since Mon 2 Nov 00:00");
  expect(screen.getByRole("link", { name: "Quay & <clay>" }).getAttribute("href")).toBe(
    "/stack/rule/A%2FB?channel=web&sku=CLAY-1",
  );
  expect(screen.getByText("opens Fri 27 Nov 09:00")).toBeTruthy();
});

test("without any price there is no chart, and it is said", async () => {
  await drawn({ over: [{ at: "2026-11-26T09:00", price: null }] as Outlook["over"], lowest30: null as never });
  expect(screen.getByText("There is no price in these 90 days.")).toBeTruthy();
  expect(screen.queryByTestId("lowest30")).toBeNull();
});
