// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { administrator, shopState } from "../../testing/shop";
import { Drifts } from "./Drifts";

const drift = (sku: string, more: object = {}) => ({
  sku,
  name: "Bowl & <cup>",
  took: "5.00",
  shows: "6.00",
  since: "2026-11-26T08:00",
  accepted: false,
  ...more,
});
const found = {
  compared: "2026-11-26T08:30",
  drifts: [drift("A"), drift("=B", { took: undefined }), drift("C", { shows: undefined, accepted: true })],
};

async function sheet(more: Parameters<typeof program>[0] = {}) {
  const asked = program({
    "GET /api/session": administrator,
    "GET /api/state": shopState,
    "GET /api/channels/web/drifts": found,
    "GET /api/channels/web/unlike": { unlike: [], total: 0 },
    "GET /api/links": { links: [{ channel: "web", kind: "http" }] },
    "POST /api/channels/web/drifts/again": {},
    "POST /api/channels/web/drifts/accept": {},
    ...more,
  });
  const drawn = page(<Drifts channel="web" name="web shop" />);
  await waitFor(() => expect(asked.some((a) => a.path.endsWith("/drifts"))).toBe(true));
  return { ...drawn, asked };
}

test("each difference says what was taken and what is shown, nothing included", async () => {
  await sheet();
  await screen.findByText(/A$/);
  const rows = [...document.querySelectorAll("[data-drift]")].map((r) => r.textContent);
  expect(rows.map((r) => r?.slice(0, 32))).toEqual([
    expect.stringContaining("Bowl & <cup> A5.006.00"),
    expect.stringContaining("Bowl & <cup> =Bnothing6.00"),
    expect.stringContaining("Bowl & <cup> C5.00nothing"),
  ]);
  expect(rows[2]).toContain("lived with");
});

test.each([
  ["Have 2 sent again", "again"],
  ["Live with them", "accept"],
])("%s asks for those that nobody lives with yet", async (name, what) => {
  const { user, asked } = await sheet();
  const button = await screen.findByRole("button", { name });
  await waitFor(() => expect(button).toHaveProperty("disabled", false));
  await user.click(button);
  await waitFor(() => expect(asked.find((a) => a.path.endsWith(what))?.body).toEqual({ skus: ["A", "=B"] }));
});

test("reading says what keeps it from reading, and shows what it read", async () => {
  let gone = true;
  const { user } = await sheet({
    "GET /api/channels/web/drifts": { drifts: [] },
    "POST /api/channels/web/compare": () =>
      gone ? problem(409, "The channel does not say what it shows: no answer.") : { body: { ...found, drifts: [] } },
  });
  expect(await screen.findByText("Nobody has looked yet")).toBeTruthy();
  const read = screen.getByRole("button", { name: "Read what it shows now" });
  await waitFor(() => expect(read).toHaveProperty("disabled", false));
  await user.click(read);
  expect((await screen.findByRole("alert")).textContent).toContain("no answer");
  gone = false;
  await user.click(read);
  expect(await screen.findByText("The web shop shows what it took")).toBeTruthy();
  expect(screen.queryByRole("alert")).toBeNull();
});

test("what the same people pay otherwise in another channel is listed beside it", async () => {
  await sheet({
    "GET /api/channels/web/unlike": {
      unlike: [{ sku: "=A", name: "Bowl & <cup>", shows: "5.00", other: "شارع", theirs: "6.50" }],
      total: 2,
    },
  });
  expect(await screen.findByText("2 products cost the same people something else in another channel")).toBeTruthy();
  const row = document.querySelector("[data-unlike]");
  expect([...(row?.children ?? [])].map((c) => c.textContent)).toEqual(["Bowl & <cup> =A", "5.00", "6.50", "شارع"]);
  expect(screen.getByText("The first 1 of them.")).toBeTruthy();
});

test.each([
  ["folder", "It takes files, so nothing can be read back from it."],
  ["feed", "It fetches its prices itself, so nothing can be read back from it."],
])("a channel that is reached by %s is not asked what it shows", async (kind, words) => {
  await sheet({ "GET /api/links": { links: [{ channel: "web", kind }] } });
  expect(await screen.findByText(words)).toBeTruthy();
  expect(screen.queryByRole("button", { name: /^Read what it shows/ })).toBeNull();
});
