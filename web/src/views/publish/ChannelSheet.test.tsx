// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { difference, shopState } from "../../testing/shop";
import { ChannelSheet } from "./ChannelSheet";

const differences = {
  address: "",
  at: shopState.now,
  channel: "web",
  currency: "EUR",
  name: "web shop",
  rows: [
    difference({}),
    difference({ sku: "=A&B", name: "<i>Glaze</i>", price: "1.00", blocked: true, marginAmount: "-4.00" }),
    difference({ sku: "NEW", kind: "new", was: null, change: null }),
    difference({ sku: "OLD", kind: "gone", price: null, change: null }),
  ],
  same: 365,
  unpriced: 0,
  version: 12,
};
const publication = {
  id: 5,
  status: "done",
  rows: 4,
  answered: 4,
  refused: 0,
  version: 12,
  who: "maren",
  started: "2026-11-26T08:00",
};
const path = "POST /api/channels/web/publications";

async function sheet(more: Parameters<typeof program>[0] = {}, of: object = {}) {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/session": { name: "maren", role: "manager", demo: [] },
    "GET /api/channels/web/differences": { ...differences, ...of },
    "GET /api/publications": { publications: [] },
    "GET /api/publications/5": { ...publication, lines: [] },
    ...more,
  });
  const drawn = page(<ChannelSheet channel="web" />, "/publish?channel=web");
  await screen.findByLabelText("Differences of web shop");
  return { ...drawn, asked };
}
const send = (name: RegExp) => screen.getByRole("button", { name });

test("nothing below cost is sent before it has a reason or is left out", async () => {
  const { user, asked } = await sheet({ [path]: publication });
  expect(screen.getByTestId("undecided").textContent).toBe("1 below cost: give a reason or leave out");
  expect(send(/^Send 4 prices/)).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("Reason for sending =A&B below cost"), "   ");
  expect(send(/^Send 4 prices/)).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("Reason for sending =A&B below cost"), "end of “stock”");
  await user.click(send(/^Send 4 prices to the web shop/));
  expect((await screen.findByTestId("send-result")).textContent).toBe("The channel took every price");
  const order = asked.find((a) => a.method === "POST");
  expect(order?.body).toEqual({ version: 12, overrides: { "=A&B": "end of “stock”" }, leaveOut: [] });
});

test("what is left out is not counted, and its reason does not go along", async () => {
  const { user, asked } = await sheet({
    [path]: { ...publication, status: "partly", refused: 2 },
    "GET /api/publications/5": { ...publication, status: "partly", refused: 2, lines: [] },
  });
  await user.type(screen.getByLabelText("Reason for sending =A&B below cost"), "x");
  await user.click(screen.getByLabelText("Leave out =A&B"));
  await user.click(send(/^Send 3 prices/));
  expect((await screen.findByTestId("send-result")).textContent).toBe(
    "The channel did not take every price: 2 of 4 refused, see What was sent",
  );
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ version: 12, overrides: {}, leaveOut: ["=A&B"] });
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
  await user.click(screen.getByLabelText("blocked only"));
  expect(document.querySelectorAll("[data-sku]")).toHaveLength(1);
  await user.click(screen.getByLabelText("blocked only"));
  expect(document.querySelectorAll("[data-sku]")).toHaveLength(4);
});

test("prices that were saved meanwhile are not sent unseen", async () => {
  const { user } = await sheet(
    { [path]: () => problem(409, "The book was changed meanwhile: look again.") },
    { rows: [difference({})] },
  );
  await user.click(send(/^Send 1 prices/));
  expect((await screen.findByRole("alert")).textContent).toBe("The book was changed meanwhile: look again.");
});

test("a channel that shows the saved prices has nothing to send", async () => {
  await sheet({}, { rows: [] });
  expect(screen.getByText("The web shop shows the saved prices")).toBeTruthy();
  expect(send(/^Nothing to send/)).toHaveProperty("disabled", true);
});

test("what was sent is beside, and the reasons that were begun are kept", async () => {
  const { user } = await sheet();
  await user.type(screen.getByLabelText("Reason for sending =A&B below cost"), "begun");
  await user.click(screen.getByRole("tab", { name: "What was sent" }));
  expect(await screen.findByText("Nothing has been sent to this channel yet")).toBeTruthy();
  await user.click(screen.getByRole("tab", { name: /What would change/ }));
  expect(screen.getByLabelText("Reason for sending =A&B below cost")).toHaveProperty("value", "begun");
});
