// @vitest-environment jsdom
import { QueryClientProvider, QueryClient } from "@tanstack/react-query";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { BrowserRouter } from "react-router";
import { beforeEach, expect, test } from "vitest";
import { program } from "../testing/server";
import { customers, groups, shopState } from "../testing/shop";
import { Tips } from "../ui/tip";
import { ViewpointBar } from "./ViewpointBar";

const draft = { rule: { code: "D", name: "Quay & “clay”", status: "draft", layer: "sale" }, etag: "1" };

/** The bar over a real address: two changes that follow each other must both be kept. */
async function bar(query = "") {
  program({
    "GET /api/state": shopState,
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
    "GET /api/items/campaigns": { items: [] },
    "GET /api/rules": { rules: [draft] },
    "GET /api/facets": { countries: ["DE", "NL"], buyers: [{ name: "region & <coast>", values: ["=north", "south"] }] },
    "GET /api/changes": { moments: ["2026-11-27T09:00", "2026-12-01T00:00"] },
  });
  window.history.replaceState(null, "", "/board" + query);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <BrowserRouter>
        <Tips>
          <ViewpointBar />
        </Tips>
      </BrowserRouter>
    </QueryClientProvider>,
  );
  await screen.findByLabelText("Quantity");
  return userEvent.setup();
}
const says = () => Object.fromEntries(new URLSearchParams(window.location.search));

beforeEach(() => window.history.replaceState(null, "", "/"));

test("a moment is typed as a date, with or without a time", async () => {
  const user = await bar("?q=clay");
  await user.click(screen.getByLabelText("Moment"));
  await user.clear(screen.getByLabelText("Moment"));
  await user.type(screen.getByLabelText("Moment"), "2026-11-27 9:05{Enter}");
  expect(says()).toEqual({ q: "clay", at: "2026-11-27T09:05" });
  expect(screen.getByLabelText("Moment")).toHaveProperty("value", "Fri 27 Nov 09:05");
  await user.click(screen.getByText("back to now"));
  expect(says()).toEqual({ q: "clay" });
});

test.each([
  ["28.11.2026 09:00", "2026-11-28T09:00"],
  ["Sat 28 Nov 09:00", "2026-11-28T09:00"],
  ["tomorrow", "2026-11-27T00:00"],
  ["+7", "2026-12-03T09:00"],
])("the moment %s is taken", async (typed, at) => {
  const user = await bar();
  await user.click(screen.getByLabelText("Moment"));
  await user.clear(screen.getByLabelText("Moment"));
  await user.type(screen.getByLabelText("Moment"), typed + "{Enter}");
  expect(says()).toEqual({ at });
});

test.each(["2026-02-30", "soon", "2026-11-27 25:00"])("%s is no moment, and stays to be mended", async (typed) => {
  const user = await bar();
  await user.click(screen.getByLabelText("Moment"));
  await user.clear(screen.getByLabelText("Moment"));
  await user.type(screen.getByLabelText("Moment"), typed + "{Enter}");
  expect(screen.getByRole("alert").textContent).toContain("No such moment");
  expect(screen.getByLabelText("Moment")).toHaveProperty("value", typed);
  expect(says()).toEqual({});
  await user.tab();
  expect(screen.getByLabelText("Moment")).toHaveProperty("value", typed);
  await user.click(screen.getByLabelText("Moment"));
  await user.keyboard("{Escape}");
  expect(screen.queryByRole("alert")).toBeNull();
});

test("whom, where and how many are kept together, without pauses", async () => {
  const user = await bar();
  const quantity = screen.getByLabelText("Quantity");
  await user.clear(quantity);
  await user.type(quantity, "120");
  await user.selectOptions(screen.getByLabelText("For whom"), await screen.findByText("Trade & “friends”"));
  await user.selectOptions(screen.getByLabelText("Channel"), "the shop on the quay");
  expect(says()).toEqual({ quantity: "120", who: "group:trade", channel: "quay" });
});

test("a quantity that is none leaves the last one", async () => {
  const user = await bar("?quantity=12");
  const quantity = screen.getByLabelText("Quantity");
  await user.clear(quantity);
  await user.type(quantity, "0x");
  expect(quantity.getAttribute("aria-invalid")).toBe("true");
  expect(says()).toEqual({ quantity: "12" });
  await user.tab();
  expect(quantity).toHaveProperty("value", "12");
});

test("compared with another moment or somebody else", async () => {
  const user = await bar("?at=2026-11-27T09:00");
  await user.click(screen.getByText("back to now"));
  await user.selectOptions(screen.getByLabelText("Compared with"), "another moment");
  expect(says().against).toBe("at:2026-11-27T09:00");
  await user.selectOptions(screen.getByLabelText("Compared with"), "somebody else");
  await user.selectOptions(screen.getByLabelText("Compared with whom"), "=Hollow Lane");
  expect(says().against).toBe("who:customer:c1");
  await user.selectOptions(screen.getByLabelText("Compared with"), "what is published");
  expect(says()).toEqual({});
});

test("what is assumed of the buyer is said in the sentence and in the address", async () => {
  const user = await bar("?q=clay");
  await user.click(screen.getByRole("button", { name: "What is assumed of the buyer: + conditions" }));
  await user.selectOptions(screen.getByLabelText("First order"), "yes, the first");
  await user.selectOptions(screen.getByLabelText("Signed in"), "no");
  await user.type(screen.getByLabelText("Country"), "de");
  await user.selectOptions(await screen.findByLabelText("region & <coast>"), "=north");
  expect(says()).toEqual({
    q: "clay",
    first: "yes",
    "signed-in": "no",
    country: "DE",
    attrs: "region+%26+%3Ccoast%3E=%3Dnorth",
  });
  screen.getByText("on a first order, not signed in, in DE, whose region & <coast> is =north");
  await user.click(screen.getByRole("button", { name: "Assume nothing" }));
  expect(says()).toEqual({ q: "clay" });
});

test("drafts count as on", async () => {
  const user = await bar();
  await user.click(await screen.findByRole("button", { name: /Drafts that count as on/ }));
  await user.click(await screen.findByRole("option", { name: /Quay & “clay”/ }));
  expect(says()).toEqual({ with: "D" });
});

test("the arrow keys go from change to change, and back to now", async () => {
  const user = await bar();
  const thumb = screen.getByRole("slider");
  await waitFor(() => expect(document.querySelectorAll("rect title")).toHaveLength(2));
  thumb.focus();
  await user.keyboard("{ArrowRight}");
  expect(says()).toEqual({ at: "2026-11-27T09:00" });
  await user.keyboard("{ArrowRight}{ArrowRight}");
  expect(says()).toEqual({ at: "2026-12-01T00:00" });
  expect(thumb.getAttribute("aria-valuetext")).toBe("Tue 1 Dec 00:00");
  await user.keyboard("{ArrowLeft}{ArrowLeft}");
  expect(says()).toEqual({});
});
