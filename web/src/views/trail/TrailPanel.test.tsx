// @vitest-environment jsdom
import { cleanup, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { PriceDetail } from "../../api/client";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { TrailPanel } from "./TrailPanel";

const way = {
  finish: { raw: "13.95123", rounded: "13.95", held: false },
  steps: [
    {
      rule: "A/B",
      layer: "sale",
      before: "15.90",
      raw: "14.310055",
      after: "13.951230000001",
      shaped: ["ending"],
      left: "-0.8",
      share: "-7.1",
    },
  ],
  missed: [
    { rule: "C", layer: "tier", reason: "quantity", wanted: "24", counted: "12" },
    { rule: "D", layer: "promotion", reason: "outranked", by: "A/B", would: "13.00" },
    { rule: "E", layer: "promotion", reason: "hours" },
    { rule: "F", layer: "promotion", reason: "not-yet" },
    { rule: "G", layer: "promotion", reason: "audience" },
  ],
};

const detail = {
  answer: {
    unit: "13.95",
    total: "167.40",
    quantity: 12,
    currency: "EUR",
    list: "15.90",
    portions: [{ quantity: 12, unit: "13.95", trail: way }],
    rules: ["A/B"],
    margin: { net: "11.53", fee: "0.35", cost: "12.00", amount: "-0.82", percent: "-7.11" },
    trail: way,
  },
  at: "2026-11-27T09:00",
  opens: { E: "2026-11-27T18:00" },
  unmet: { G: [{ condition: "first-order", wanted: ["yes"] }] },
  liveTags: { add: ["offer & <more>"], remove: ["new"] },
  lowest: "14.52",
  product: {
    sku: "=A&B",
    name: "Buff <clay> & grog",
    category: "Clay/Stoneware",
    brand: "",
    supplier: "",
    tags: ["x", "y"],
    stock: "7",
    sold: null,
  },
  rules: [
    { code: "A/B", name: "Quay & <clay>", layer: "sale" },
    { code: "C", name: "Dozens", layer: "tier" },
  ],
  shown: [
    { channel: "web", name: "web shop", price: "14.95", since: "2026-11-02T00:00" },
    { channel: "quay", name: "shop on the quay", price: null, since: "" },
  ],
} as unknown as PriceDetail;

async function panel(of: object = {}, address = "/board?sku=%3DA%26B&channel=web&quantity=12") {
  const asked = program({
    "GET /api/price": { ...detail, answer: { ...detail.answer, ...of } },
    "GET /api/state": shopState,
    "GET /api/session": { name: "maren", role: "manager", demo: [] },
    "GET /api/outlook": () => problem(404, "none"),
  });
  const drawn = page(<TrailPanel />, address);
  if (address.includes("sku=")) await screen.findByTestId("trail-price");
  return { ...drawn, asked, panel: within(screen.getByLabelText("Trail")) };
}

test("it asks for just the viewpoint of the address", async () => {
  const { asked } = await panel();
  const query = asked.find((a) => a.path === "/api/price")?.query;
  expect(Object.fromEntries(query ?? [])).toMatchObject({ sku: "=A&B", channel: "web", quantity: "12" });
});

test("the way of a price: each rule with what it left, what shaped it, and what would be earned there", async () => {
  const { panel: p } = await panel();
  expect(p.getByTestId("trail-price").textContent).toBe("13.95");
  expect(p.getByText(/12 × = 167\.40/)).toBeTruthy();
  const step = p.getAllByRole("listitem")[1]?.textContent;
  expect(step).toContain("Quay & <clay>");
  expect(step).toContain("14.310055, given its ending");
  expect(step).toContain("13.9512…");
  expect(step).toContain("−7.1 %");
  expect(p.getByText("Rounded to the minor unit")).toBeTruthy();
});

test("a rule that applied and changed nothing says that", async () => {
  const [first] = way.steps;
  const { panel: p } = await panel({
    trail: { ...way, steps: [{ ...first, before: "15.90", after: "15.90", shaped: [] }] },
  });
  expect(p.getByText("changes nothing here")).toBeTruthy();
});

test("what did not apply says its one reason, with the winner's name and what it would have given", async () => {
  const { panel: p } = await panel();
  expect(p.getByText(/wants 24, counted 12/)).toBeTruthy();
  const lost = p.getByRole("link", { name: "D" }).closest("li")?.textContent;
  expect(lost).toContain("is outranked by Quay & <clay>, would give 13.00");
  expect(p.getByRole("link", { name: "G" }).closest("li")?.textContent).toContain("is only for first orders");
});

test("below cost is an alert that names the lowest permitted price", async () => {
  const { panel: p } = await panel();
  expect(p.getByRole("alert").textContent).toBe("Below cost. The lowest permitted price is 14.52.");
  expect(p.getByText("The channel keeps").nextSibling?.textContent).toBe("−0.35");
});

test("no price and no cost are said", async () => {
  const { panel: p } = await panel({
    unit: null,
    total: null,
    margin: null,
    portions: [{ quantity: 12, unit: null, trail: { ...way, finish: null } }],
  });
  expect(p.getByTestId("trail-price").textContent).toBe("No price");
  const known = await panel({ margin: null });
  expect(known.panel.getByText("The cost is unknown, so no margin can be named.")).toBeTruthy();
});

test("pieces at several prices each have their way; a rule that made one of them is not among those that did not apply", async () => {
  const { panel: p } = await panel({
    unit: "15.41",
    portions: [
      {
        quantity: 9,
        unit: "15.90",
        trail: { ...way, steps: [], missed: [{ ...way.missed[0], rule: "A/B" }, ...way.missed] },
      },
      { quantity: 3, unit: "13.95", trail: way },
    ],
  });
  const [first, second] = p.getAllByTestId("portion").map((e) => e.textContent);
  expect(first).toContain("9 piecesat 15.90");
  expect(first).not.toContain("Quay & <clay>");
  expect(second).toContain("3 piecesat 13.95");
  expect(second).toContain("Quay & <clay>");
  expect(p.getByText("15.41 a piece, over all 12:")).toBeTruthy();
  expect(p.getAllByText(/wants 24, counted 12/)).toHaveLength(1);
});

test("the tags that rules at work publish stand beside the product's own, those of others do not", async () => {
  const { panel: p } = await panel();
  expect((await p.findByText("offer & <more>")).previousSibling?.textContent).toBe("Live tags");
  expect(p.getByText("new").previousSibling?.textContent).toBe("Tags off");
  expect(p.queryByText("dozens")).toBeNull();
});

test("a rule outside its times says when it opens next, or that it never does", async () => {
  const { panel: p } = await panel();
  expect(p.getByText(/is outside its days or hours: it opens Fri 27 Nov 18:00/)).toBeTruthy();
  expect(p.getByText(/never opens: its times do not meet/)).toBeTruthy();
});

test("what the channels show stands beside, and a product that is gone says so", async () => {
  const { panel: p } = await panel();
  expect(p.getByRole("row", { name: /web shop 14\.95 since Mon 2 Nov 00:00/ })).toBeTruthy();
  expect(p.getByRole("row", { name: /shop on the quay nothing/ })).toBeTruthy();
  program({ "GET /api/price": () => problem(404, "There is no product “X”."), "GET /api/state": shopState });
  page(<TrailPanel />, "/board?sku=X");
  expect((await screen.findAllByText("There is no product “X”.")).length).toBe(1);
});

test("what a price is shown as reduced from is told, and what the channels show against", async () => {
  const { panel: p } = await panel();
  expect(p.queryByTestId("reduced-from")).toBeNull();
  cleanup();
  program({
    "GET /api/price": {
      ...detail,
      reduced: { price: "15.90", kind: "lowest30" },
      shown: [{ channel: "web", name: "web shop", price: "13.95", reference: "14.50", since: "2026-11-02T00:00" }],
    },
    "GET /api/state": shopState,
    "GET /api/session": { name: "maren", role: "manager", demo: [] },
    "GET /api/outlook": () => problem(404, "none"),
  });
  page(<TrailPanel />, "/board?sku=%3DA%26B&channel=web");
  expect((await screen.findByTestId("reduced-from")).textContent).toBe(
    "shown as reduced from 15.90, the lowest price of the 30 days before it was reduced",
  );
  expect(screen.getByRole("row", { name: /web shop 14\.50 ?13\.95 since/ })).toBeTruthy();
});

test("without a product it says what to do", async () => {
  await panel({}, "/board?channel=web");
  expect(screen.getByText("No product is selected")).toBeTruthy();
});
