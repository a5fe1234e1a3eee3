// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { program } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { OnePrice } from "./OnePrice";

const channel = shopState.channels[0]?.code ?? "";
const row = (sku: string, that: object) => ({
  sku,
  name: `<b>${sku}</b> & "co"`,
  channels: [{ channel, book: "9.00", shows: "10.00", reports: "10.00", state: "in-step", ...that }],
});

function draw(rows: object[], total = rows.length) {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/categories": { categories: [{ path: "Clay/Stone & co", name: "Stone", depth: 2, count: 1, flags: 0 }] },
    "GET /api/one-price": { rows, total, products: 368, version: 3 },
  });
  return { ...page(<OnePrice />, "/publish?view=prices"), asked };
}
const cell = async (sku: string) => within((await screen.findByText(sku)).closest("tr") as HTMLElement);

test("what is behind and what drifts is told, with what it should be and since when", async () => {
  draw([
    row("=OLD", { state: "behind", since: "2026-11-20T08:00" }),
    row("DRIFT", { state: "drifting", reports: "12.34", since: "2026-11-21T08:00" }),
    row("LOST", { state: "drifting", reports: null, since: "2026-11-21T08:00" }),
    row("FINE", {}),
  ]);
  expect((await cell("=OLD")).getByText(/→ 9.00/)).toBeTruthy();
  expect((await cell("=OLD")).getByText(/^behind, shown since/)).toBeTruthy();
  expect((await cell("DRIFT")).getByText(/→ 12.34/)).toBeTruthy();
  expect((await cell("DRIFT")).getByText(/^drifts, since/)).toBeTruthy();
  expect((await cell("LOST")).getByText(/→ nothing/)).toBeTruthy();
  expect((await cell("FINE")).queryByText(/→/)).toBeNull();
});

test("products are found, narrowed and paged by the program, and the file has the same", async () => {
  const { user, asked } = draw([row("A", {})], 250);
  const file = () => new URL(screen.getByText<HTMLAnchorElement>("Save as CSV").href);
  await user.type(await screen.findByLabelText("Find a product"), "a & <b>");
  await waitFor(() => expect(asked.at(-1)?.query.get("q")).toBe("a & <b>"));
  expect(Object.fromEntries(file().searchParams)).toEqual({ q: "a & <b>", only: "apart" });
  await user.selectOptions(screen.getByLabelText("Category"), "Clay/Stone & co");
  await waitFor(() => expect(asked.at(-1)?.query.get("category")).toBe("Clay/Stone & co"));
  await user.selectOptions(screen.getByLabelText("Which products"), "all products");
  await waitFor(() => expect(file().searchParams.get("only")).toBeNull());
  await user.click(screen.getByText("Next"));
  await waitFor(() => expect(asked.at(-1)?.query.get("start")).toBe("100"));
});

test("where nothing is apart, it says so", async () => {
  draw([]);
  expect(await screen.findByText(/agree on every product/)).toBeTruthy();
});
