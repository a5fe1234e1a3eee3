// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test } from "vitest";
import type { RolloutRow } from "../api/client";
import { page } from "../testing/page";
import { problem, program } from "../testing/server";
import { shopState } from "../testing/shop";
import { SpreadDialog } from "./SpreadDialog";

const piece = (lines: number, blocked: number) => ({
  piece: "rule S",
  name: "Sale & <b>",
  change: "changed",
  lines,
  later: [{ at: "2026-12-24T00:00", lines: 5, blocked, stopped: blocked ? [{ sku: "A", blocked: [] }] : [] }],
  blocked: [],
  stopped: 0,
  held: false,
  chosen: true,
  with: [],
});
const rows = [
  { channel: "web", name: "Web & <shop>", lines: 12, blocked: 3, stopped: [], pieces: [piece(12, 1)] },
  { channel: "till", name: "Till", lines: 0, blocked: 0, stopped: [], pieces: [piece(0, 0)] },
  { channel: "new", name: "New", lines: 0, blocked: 0, stopped: [], pieces: [], problem: "Nothing was published." },
] as unknown as RolloutRow[];

const given = {
  "GET /api/state": shopState,
  "GET /api/session": { name: "maren", fullName: "Maren", role: "manager", demo: [] },
  "GET /api/links": { links: [{ channel: "till", approval: { overPercent: "10" } }] },
  "GET /api/rollout": { version: 7, channels: rows },
};
const row = (name: string) => screen.findByText(name).then((el) => within(el.closest("tr") as HTMLElement));

test("what goes is seen channel by channel, and goes to those that stay ticked, with the note", async () => {
  const sent = program({
    ...given,
    "POST /api/rollout": {
      version: 7,
      channels: [{ ...rows[1], publication: { id: 9, state: "queued", lines: 0, rules: 0, leftOut: 0, pieces: [{}] } }],
    },
    "GET /api/publications/9": { id: 9, state: "waiting", lines: 0, rules: 0, leftOut: 0, pieces: [{}] },
  });
  page(<SpreadDialog what={{ entry: 812 }} onClose={() => undefined} />);
  const web = await row("Web & <shop>");
  expect(web.getByText(/12 prices now · 5 from/)).toBeTruthy();
  expect(web.getByText(/3 blocked: left out/)).toBeTruthy();
  expect(web.getByText("1 of the later ones blocked: left out then")).toBeTruthy();
  expect((await row("New")).queryByRole("checkbox")).toBeNull();
  expect((await row("Till")).getByText(/a second person agrees first where it moves a price by more than 10 %/));
  await userEvent.click(web.getByRole("checkbox"));
  await userEvent.type(screen.getByLabelText("Note to whoever agrees"), "please");
  await userEvent.click(screen.getByRole("button", { name: "Send to Till" }));
  expect((await row("Till")).getByText(/waits for a second person|about to be sent/)).toBeTruthy();
  expect((await row("Web & <shop>")).getByText("not sent")).toBeTruthy();
  expect(sent.find((a) => a.method === "POST")?.body).toEqual({
    version: 7,
    entry: 812,
    channels: ["till"],
    note: "please",
  });
  await waitFor(async () => expect((await row("Till")).getByText("waits for a second person")).toBeTruthy());
});

test("with nothing ticked nothing can be sent; where it is stale that is said and it is looked at again", async () => {
  const sent = program({ ...given, "POST /api/rollout": () => problem(409, "The book has changed.") });
  page(<SpreadDialog what={{ piece: "rule S" }} onClose={() => undefined} />);
  const boxes = await screen.findAllByRole("checkbox");
  for (const box of boxes) await userEvent.click(box);
  expect(screen.getByRole("button", { name: /^Send to 0 channels/ })).toHaveProperty("disabled", true);
  await userEvent.click(boxes[0] as HTMLElement);
  await userEvent.click(screen.getByRole("button", { name: "Send to Web & <shop>" }));
  expect((await screen.findByRole("alert")).textContent).toContain("The book has changed.");
  await waitFor(() =>
    expect(sent.filter((a) => a.path === "/api/rollout" && a.method === "GET").length).toBeGreaterThan(1),
  );
});
