// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program, type Asked } from "../../testing/server";
import type { Difference, PieceRow } from "../../api/client";
import { difference, shopState } from "../../testing/shop";
import { ChannelSheet } from "./ChannelSheet";

/** Whether a row passes what narrows, as the program says it. */
const passes = (row: Difference, kind: string, rule: string, category: string, q: string, reach: string) =>
  (kind === "" || (kind === "blocked" ? row.blocked.length > 0 : row.kind === kind)) &&
  (rule === "" || row.rules.includes(rule)) &&
  (category === "" || row.category === category || row.category.startsWith(category + "/")) &&
  (reach === "" || row.pieces.includes(reach)) &&
  `${row.name} ${row.sku}`.toLowerCase().includes(q);

const piece = (parts: Partial<PieceRow>): PieceRow => ({
  piece: "rule QUAY",
  name: "Quay & <co>",
  change: "changed",
  lines: 1,
  later: [],
  blocked: [],
  stopped: 0,
  held: false,
  chosen: true,
  with: [],
  ...parts,
});

const differences = {
  connected: true,
  first: false,
  pieces: [] as PieceRow[],
  loose: 0,
  total: 4,
  going: 4,
  blocked: 1,
  held: 0,
  leftOut: 0,
  kinds: [],
  rules: 0,
  at: shopState.now,
  channel: "web",
  currency: "EUR",
  name: "web shop",
  rows: [
    difference({}),
    difference({
      sku: "=A&B",
      name: "<i>Glaze</i>",
      price: "1.00",
      blocked: [{ kind: "below-cost", group: "trade", quantity: 6, price: "1.00", left: "-4.00" }],
      marginAmount: "-4.00",
    }),
    difference({ sku: "NEW", kind: "new", was: null, change: null, rules: ["QUAY"] }),
    difference({ sku: "OLD", kind: "gone", price: null, change: null, category: "Kilns" }),
  ],
  same: 365,
  unpriced: 0,
  version: 12,
};
const publication = {
  id: 5,
  channel: "web",
  kind: "by-hand",
  state: "done",
  lines: 4,
  taken: 4,
  refused: 0,
  unanswered: 0,
  leftOut: 0,
  rules: 0,
  version: 12,
  who: "maren",
  at: "2026-11-26T08:00",
  prepared: "2026-11-26T08:00",
  ended: "2026-11-26T08:01",
};
const path = "POST /api/channels/web/publications";

/** Answers as the program does: what a filter leaves, from a row on, and the counts of all. */
const answering =
  (more: object) =>
  ({ query }: Asked) => {
    const all = { ...differences, going: undefined, ...more };
    const of = (key: string) => query.get(key) ?? "";
    const out = query.getAll("without").map((p) => (p === "edit 9" ? "product B" : p));
    const rows = all.rows.filter((r) => r.pieces.length === 0 || r.pieces.some((p) => !out.includes(p)));
    const left = rows.filter((r) => passes(r, of("kind"), of("rule"), of("category"), of("q"), of("reach")));
    const start = Number(query.get("start"));
    return {
      body: {
        ...all,
        total: out.length > 0 ? rows.length : all.total,
        going: out.length > 0 ? rows.length : (all.going ?? all.total),
        rows: left.slice(start, start + Number(query.get("limit"))),
        of: {
          total: left.length,
          blocked: left.filter((r) => r.blocked.length > 0 && !r.held).length,
          held: left.filter((r) => r.held).length,
          leftOut: 0,
          worth: { margin: "-12.40", sales: "-30.00", counted: 2, unknown: 1 },
        },
        made: [{ value: "QUAY", count: 1 }],
        within: [
          { value: "Clay", count: 3 },
          { value: "Clay/Stoneware", count: 3 },
          { value: "Kilns", count: 1 },
        ],
      },
    };
  };

async function sheet(more: Parameters<typeof program>[0] = {}, of: object = {}) {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/session": { name: "wout", role: "approver", demo: [] },
    "GET /api/channels/web/differences": answering(of),
    "GET /api/rules": {
      rules: [
        {
          rule: {
            code: "QUAY",
            name: "Quay & <co>",
            layer: "sale",
            rank: 1,
            where: { all: [] },
            effect: { percentOff: "5" },
          },
        },
        {
          rule: {
            code: "DEAL",
            name: "Deal <3>",
            layer: "promotion",
            rank: 1,
            where: { all: [] },
            offer: { gives: [] },
          },
        },
      ],
    },
    "GET /api/links": { links: [{ channel: "web", sends: "by-hand", approval: "none" }] },
    "GET /api/groups": { items: [] },
    "GET /api/publications": { publications: [] },
    "POST /api/publications/5/send": { ...publication, state: "queued", taken: 0 },
    "GET /api/publications/5": publication,
    ...more,
  });
  const drawn = page(<ChannelSheet channel="web" />, "/publish?channel=web");
  await screen.findByLabelText("Differences of web shop");
  return { ...drawn, asked };
}
const send = (name: RegExp) => screen.getByRole("button", { name });

test("nothing below cost is sent before it has a reason or is left out", async () => {
  const { user, asked } = await sheet({ [path]: publication });
  expect(screen.getByTestId("undecided").textContent).toBe("1 blocked: give a reason or leave out");
  expect(screen.getByText("Below cost (group trade, 6 pieces): 4.00 lost a piece at 1.00")).toBeTruthy();
  expect(send(/^Send 4 prices/)).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("Reason for sending =A&B although it is blocked"), "   ");
  expect(send(/^Send 4 prices/)).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("Reason for sending =A&B although it is blocked"), "end of “stock”");
  await user.click(send(/^Send 4 prices to the web shop/));
  expect((await screen.findByTestId("send-result")).textContent).toBe("The channel took every price");
  const order = asked.find((a) => a.method === "POST");
  expect(order?.body).toEqual({ version: 12, overrides: { "=A&B": "end of “stock”" } });
});

test("what is left out is not counted, and its reason does not go along", async () => {
  const { user, asked } = await sheet({
    [path]: { ...publication, state: "prepared" },
    "GET /api/publications/5": { ...publication, state: "partly", taken: 2, refused: 2 },
  });
  await user.type(screen.getByLabelText("Reason for sending =A&B although it is blocked"), "x");
  await user.click(screen.getByLabelText("Leave out =A&B"));
  await user.click(send(/^Send 3 prices/));
  expect((await screen.findByTestId("send-result")).textContent).toBe(
    "The channel did not take every price: 2 of 4 refused, see What was sent",
  );
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    leaveOut: ["=A&B"],
  });
});

test("all that is blocked is left out with one press", async () => {
  const { user, asked } = await sheet({ [path]: publication });
  await user.click(screen.getByRole("button", { name: "Leave out all 1 blocked" }));
  await user.click(send(/^Send 3 prices/));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: {}, leaveOut: "blocked" });
});

const skus = () => [...document.querySelectorAll<HTMLElement>("[data-sku]")].map((r) => r.dataset.sku);

test("a filter changes what is seen, and nothing of what is sent", async () => {
  const { user, asked } = await sheet({ [path]: publication }, { kinds: [{ kind: "down", count: 2 }] });
  await user.click(screen.getByLabelText("Leave out =A&B"));
  await user.selectOptions(
    screen.getByLabelText("Show what a rule makes"),
    await screen.findByText("of Quay & <co> (1)"),
  );
  await waitFor(() => expect(skus()).toEqual(["NEW"]));
  expect(send(/^Send 3 prices/)).toHaveProperty("disabled", false);
  await user.selectOptions(screen.getByLabelText("Show what a rule makes"), "of every rule");
  await user.type(screen.getByLabelText("Find among the changes"), "zz");
  await waitFor(() => expect(skus()).toEqual([]));
  expect(screen.getByText("Nothing here matches the filter. What is ticked stays so.")).toBeTruthy();
  await waitFor(() => expect(send(/^Send 3 prices/)).toHaveProperty("disabled", false));
  await user.click(send(/^Send 3 prices/));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: {}, leaveOut: ["=A&B"] });
});

test("of prices that are unticked none is sent: untick all, and single ones", async () => {
  const { user, asked } = await sheet({ [path]: publication });
  await user.click(screen.getByLabelText("Send all prices"));
  expect(send(/^Nothing to send/)).toHaveProperty("disabled", true);
  await user.click(screen.getByLabelText("Send CLAY-1"));
  await user.click(send(/^Send 1 price to/));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    only: { skus: ["CLAY-1"] },
  });
});

test("a price that is unticked is not sent this time, and not left out", async () => {
  const { user, asked } = await sheet(
    { [path]: publication },
    { blocked: 0, rows: [difference({}), difference({ sku: "B" })], total: 2 },
  );
  await user.click(screen.getByLabelText("Send B"));
  await user.click(send(/^Send 1 price to/));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    only: { without: ["B"] },
  });
});

const changed = {
  blocked: 0,
  total: 2,
  rows: [difference({ pieces: ["rule QUAY"] }), difference({ sku: "B", pieces: ["product B"] })],
  pieces: [
    piece({}),
    piece({ piece: "rule DEAL", name: "Deal <3>", change: "new", lines: 0 }),
    piece({ piece: "product B", name: "B", edit: "edit 9" }),
    piece({ piece: "edit 9", name: "Costs from the “supplier”", products: 1 }),
    piece({ piece: "rule OLD", name: "Old", held: true, chosen: false, lines: 0 }),
  ],
};

test("what was changed stands beside the prices that come of it, and both go or stay together", async () => {
  const { user, asked } = await sheet({ [path]: publication }, changed);
  expect(await screen.findByRole("button", { name: /^Send 2 prices and 1 deal to the web shop/ })).toBeTruthy();
  expect(screen.queryByLabelText("Send B", { selector: "[data-piece] input" })).toBeNull();
  await user.click(screen.getByLabelText("Send Costs from the “supplier”"));
  await waitFor(() => expect(skus()).toEqual(["CLAY-1"]));
  await user.click(await screen.findByRole("button", { name: /^Send 1 price and 1 deal/ }));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    only: { pieces: ["rule QUAY", "rule DEAL"] },
  });
});

test("one deal alone is sent, and the button is off when nothing is ticked", async () => {
  const { user, asked } = await sheet({ [path]: publication }, changed);
  await user.click(screen.getByLabelText("Send all that was changed"));
  await waitFor(() => expect(send(/^Nothing to send/)).toHaveProperty("disabled", true));
  await user.click(screen.getByLabelText("Send Deal <3>"));
  await user.click(await screen.findByRole("button", { name: /^Send 1 deal to the web shop/ }));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    only: { pieces: ["rule DEAL"], loose: false },
  });
});

test("what was taken back goes only where it is ticked", async () => {
  const { user, asked } = await sheet({ [path]: publication }, changed);
  expect(screen.getByLabelText("Send Old")).toHaveProperty("checked", false);
  await user.click(screen.getByLabelText("Send Old"));
  await user.click(await screen.findByRole("button", { name: /^Send 2 prices, 1 deal and 1 rule/ }));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    only: { pieces: ["rule QUAY", "rule DEAL", "edit 9", "rule OLD"] },
  });
});

test("a deal that is blocked goes with a reason alone", async () => {
  const stop = { kind: "offer-below-cost", quantity: 1, price: "9.00", left: "-1.50" };
  const { user, asked } = await sheet(
    { [path]: publication },
    { ...changed, pieces: [piece({ piece: "rule DEAL", name: "Deal <3>", lines: 0, blocked: [stop] })] },
  );
  expect(screen.getByText("Deals below cost (everybody): 1.50 lost at 9.00")).toBeTruthy();
  expect(screen.getByTestId("undecided").textContent).toBe("1 blocked: give a reason or leave out");
  await user.type(screen.getByLabelText("Reason for sending Deal <3> although it is blocked"), "one day");
  await user.click(send(/^Send 2 prices and 1 deal/));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: { "rule DEAL": "one day" } });
});

test("what the changes earn or cost at the sales of 30 days is told", async () => {
  await sheet();
  expect(screen.getByTestId("worth").textContent).toBe(
    "at its own sales of 30 days: margin −12.40, sales −30.00, 1 unknown",
  );
});

test("a long list is fetched page by page, as far as it is looked at", async () => {
  const rows = Array.from({ length: 450 }, (_, i) => difference({ sku: `S${1000 + i}` }));
  const { asked } = await sheet({}, { rows, total: 450, blocked: 0 });
  expect(skus()[0]).toBe("S1000");
  const starts = asked.filter((a) => a.path.endsWith("/differences")).map((a) => a.query.get("start"));
  expect(new Set(starts)).toEqual(new Set(["0"]));
  expect(send(/^Send 450 prices/)).toHaveProperty("disabled", false);
});

test.each([
  ["reader", {}, "You may look, not send."],
  ["manager", {}, "1 blocked: leave out, or ask an approver"],
  [
    "approver",
    { connected: false, total: 1, blocked: 0, rows: [difference({})] },
    "Nothing says how the web shop is reached.Connect it",
  ],
])("what keeps a %s from sending is said before anything is pressed", async (role, of, why) => {
  const session = { "GET /api/session": { name: "x", role, demo: [] } };
  await sheet(session, of);
  expect(await screen.findByText(why.replace("Connect it", ""))).toBeTruthy();
  expect(screen.getByTestId("undecided").textContent).toBe(why);
  expect(send(/^Send/)).toHaveProperty("disabled", true);
  const reason = screen.queryByLabelText("Reason for sending =A&B although it is blocked");
  if (reason) expect(reason).toHaveProperty("disabled", true);
  expect(screen.queryAllByRole("checkbox", { name: /^Send / }).length > 0).toBe(role !== "reader");
});

test("what becomes of each row is said", async () => {
  await sheet();
  const row = (sku: string) =>
    [...document.querySelectorAll<HTMLElement>("[data-sku]")].find((r) => r.dataset.sku === sku)?.textContent ?? "";
  expect(row("NEW")).toContain("new");
  expect(row("OLD")).toContain("taken off");
  expect(row("=A&B")).toContain("<i>Glaze</i>");
  expect(row("=A&B")).toContain("−4.00");
});

test("blocked only, and back", async () => {
  const { user } = await sheet();
  await user.click(screen.getByRole("button", { name: "blocked 1" }));
  await waitFor(() => expect(skus()).toEqual(["=A&B"]));
  await user.click(screen.getByRole("button", { name: "all 4" }));
  await waitFor(() => expect(skus()).toHaveLength(4));
});

test("prices that were saved meanwhile are not sent unseen", async () => {
  const { user } = await sheet(
    { [path]: () => problem(409, "The book was changed meanwhile: look again.") },
    { rows: [difference({})], total: 1, blocked: 0 },
  );
  await user.click(send(/^Send 1 price to/));
  expect((await screen.findByRole("alert")).textContent).toBe("The book was changed meanwhile: look again.");
});

test("a channel that shows the saved prices has nothing to send", async () => {
  await sheet({}, { rows: [], total: 0, blocked: 0 });
  expect(screen.getByText("The web shop shows the saved prices")).toBeTruthy();
  expect(send(/^Nothing to send/)).toHaveProperty("disabled", true);
});

test("what was sent is beside, and the reasons that were begun are kept", async () => {
  const { user } = await sheet();
  await user.type(screen.getByLabelText("Reason for sending =A&B although it is blocked"), "begun");
  await user.click(screen.getByRole("tab", { name: "What was sent" }));
  expect(await screen.findByText("Nothing has been sent to this channel yet")).toBeTruthy();
  await user.click(screen.getByRole("tab", { name: /What would change/ }));
  expect(screen.getByLabelText("Reason for sending =A&B although it is blocked")).toHaveProperty("value", "begun");
});

test("a sale that begins later is sent though nothing differs now", async () => {
  const later = {
    ...publication,
    lines: 0,
    taken: 0,
    pieces: [{ piece: "rule QUAY", name: "Quay & <co>", change: "new" }],
  };
  const { user, asked } = await sheet(
    { [path]: later, "GET /api/publications/5": later },
    {
      total: 0,
      blocked: 0,
      rows: [],
      pieces: [piece({ lines: 0, change: "new", later: [{ at: "2026-11-27T09:00", lines: 13_824 }] })],
    },
  );
  expect(screen.getByText(/^13\s824 from/)).toBeTruthy();
  await user.click(await screen.findByRole("button", { name: /^Send 1 planned change to the web shop/ }));
  expect((await screen.findByTestId("send-result")).textContent).toBe("Published: no price changes now");
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: {} });
});
