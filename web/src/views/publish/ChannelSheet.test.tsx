// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program, type Asked } from "../../testing/server";
import { difference, shopState } from "../../testing/shop";
import { passes } from "./changes";
import { ChannelSheet } from "./ChannelSheet";

const differences = {
  connected: true,
  total: 4,
  blocked: 1,
  held: 0,
  kinds: [],
  rules: 0,
  at: shopState.now,
  channel: "web",
  currency: "EUR",
  name: "web shop",
  rows: [
    difference({}),
    difference({ sku: "=A&B", name: "<i>Glaze</i>", price: "1.00", blocked: ["below-cost"], marginAmount: "-4.00" }),
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
  (of: object) =>
  ({ query }: Asked) => {
    const all = { ...differences, ...of };
    const [kind, rule, category, q] = ["kind", "rule", "category", "q"].map((key) => query.get(key) ?? "") as [
      string,
      string,
      string,
      string,
    ];
    const left = all.rows.filter((r) => passes(r, { kind, rule, category, q }));
    const start = Number(query.get("start"));
    return {
      body: {
        ...all,
        rows: left.slice(start, start + Number(query.get("limit"))),
        of: {
          total: left.length,
          blocked: left.filter((r) => r.blocked.length > 0 && !r.held).length,
          held: left.filter((r) => r.held).length,
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
    "GET /api/rules": { rules: [{ rule: { code: "QUAY", name: "Quay & <co>" } }] },
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
  await user.click(send(/^Send 3 of 4 prices/));
  expect((await screen.findByTestId("send-result")).textContent).toBe(
    "The channel did not take every price: 2 of 4 refused, see What was sent",
  );
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    version: 12,
    overrides: {},
    leaveOut: ["=A&B"],
  });
});

const skus = () => [...document.querySelectorAll<HTMLElement>("[data-sku]")].map((r) => r.dataset.sku);

test("a rule's rows, a category's, or single ones are sent; the rest stays due", async () => {
  const { user, asked } = await sheet({ [path]: publication });
  await user.selectOptions(
    screen.getByLabelText("Send what a rule makes"),
    await screen.findByText("of Quay & <co> (1)"),
  );
  await waitFor(() => expect(skus()).toEqual(["NEW"]));
  expect(send(/^Send 1 of 4 prices/)).toHaveProperty("disabled", false);
  await user.selectOptions(screen.getByLabelText("Send what a rule makes"), "of every rule");
  await user.selectOptions(screen.getByLabelText("Send a category"), "Clay (3)");
  await waitFor(() => expect(skus()).toHaveLength(3));
  await user.click(screen.getByLabelText("Send all of these"));
  expect(send(/^Send 0 of 4/)).toHaveProperty("disabled", true);
  await user.click(screen.getByLabelText("Send CLAY-1"));
  await user.click(send(/^Send 1 of 4/));
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: {}, only: ["CLAY-1"] });
});

test("what is narrowed by kind and words is sent as it is narrowed, but for what is left out", async () => {
  const { user, asked } = await sheet({ [path]: publication }, { kinds: [{ kind: "down", count: 2 }] });
  await user.click(screen.getByRole("button", { name: "down 2" }));
  await waitFor(() => expect(skus()).toEqual(["CLAY-1", "=A&B"]));
  expect(send(/^Send 2 of 4/)).toHaveProperty("disabled", true);
  await user.click(screen.getByLabelText("Leave out =A&B"));
  await user.type(screen.getByLabelText("Find among the changes"), "clay-");
  await waitFor(() => expect(skus()).toEqual(["CLAY-1"]));
  await user.click(send(/^Send 1 of 4/));
  const body = asked.find((a) => a.method === "POST")?.body;
  expect(body).toEqual({
    version: 12,
    overrides: {},
    of: { kind: "down", rule: "", category: "", q: "clay-" },
  });
});

test("what the changes earn or cost at the sales of 30 days is told", async () => {
  await sheet();
  expect(screen.getByTestId("worth").textContent).toBe(
    "at the sales of 30 days: margin −12.40, sales −30.00, 1 unknown",
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

test("a sale that begins later is published though nothing differs now", async () => {
  const later = { ...publication, lines: 0, taken: 0, planned: 13_824 };
  const { user, asked } = await sheet(
    {
      [path]: later,
      "GET /api/publications/5": later,
      "GET /api/links": { links: [{ channel: "web", sends: "on-the-minute" }] },
      "GET /api/channels/web/planned": { lines: 13_824, first: "2026-11-27T09:00" },
    },
    { total: 0, blocked: 0, rows: [] },
  );
  expect((await screen.findByTestId("planned")).textContent).toMatch(/^13\s824 prices change later than now/);
  await user.click(send(/^Publish what comes later to the web shop/));
  expect((await screen.findByTestId("send-result")).textContent).toMatch(/^Published: 13\s824 prices will change/);
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: {} });
});
