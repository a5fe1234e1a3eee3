// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { administrator, shopState } from "../../testing/shop";
import { History } from "./History";

const sent = (parts: object) => ({
  id: 5,
  channel: "web",
  kind: "by-hand",
  state: "partly",
  lines: 2,
  taken: 1,
  refused: 1,
  unanswered: 0,
  leftOut: 1,
  rules: 0,
  version: 12,
  who: "maren",
  at: "2026-11-26T08:00",
  prepared: "2026-11-26T08:00",
  ended: "2026-11-26T08:01",
  ...parts,
});
const row = (sku: string, answer: string, more: object = {}) => ({
  sku,
  name: `Bowl <${sku}>`,
  kind: "price",
  was: "5.00",
  price: "4.00",
  answer,
  ...more,
});

async function history(of: object[], more: Parameters<typeof program>[0] = {}, open = "") {
  const asked = program({
    "GET /api/session": administrator,
    "GET /api/state": shopState,
    "GET /api/publications": { publications: of },
    ...more,
  });
  const drawn = page(<History channel="web" />, `/publish?channel=web&tab=history${open && `&publication=${open}`}`);
  await waitFor(() => expect(asked.some((a) => a.path === "/api/publications")).toBe(true));
  return { ...drawn, asked };
}
const lines = () => [...document.querySelectorAll("tbody tr")].map((r) => r.textContent);

test("those not taken come first, with what the channel said, on every page of answers", async () => {
  const answers = [row("A", "taken"), row("B", "left-out", { override: "end & of stock" })];
  const { user, address } = await history([sent({ reason: "odd <prices>", decidedBy: "ilko" })], {
    "GET /api/publications/5": ({ query }: { query: URLSearchParams }) => ({
      body:
        query.get("after") === ""
          ? sent({ answers, next: "B" })
          : sent({ answers: [row("C", "refused", { message: "nothing with “C” is sold here" })] }),
    }),
  });
  await user.click(await screen.findByRole("button", { name: /ilko: “odd <prices>”/ }));
  expect(address()).toContain("publication=5");
  await screen.findByText(/is sold here/);
  expect(lines()).toEqual([
    "Bowl <B> B5.004.00left out  · sent although it is blocked: end & of stock",
    "Bowl <C> C5.004.00refused nothing with “C” is sold here",
    "Bowl <A> A5.004.00taken ",
  ]);
});

test("what has no answer yet, was taken off, or is held back is said in words", async () => {
  await history(
    [sent({ state: "sending" })],
    {
      "GET /api/publications/5": sent({
        state: "sending",
        answers: [row("A", ""), row("B", "held"), row("C", "unanswered", { kind: "gone", price: null })],
      }),
    },
    "5",
  );
  await screen.findByText("not sent yet");
  expect(lines().map((l) => l?.replace(/^Bowl <.> /, "").trim())).toEqual([
    "A5.004.00not sent yet",
    "B5.004.00held back",
    "C5.00taken offno answer",
  ]);
  expect(screen.queryByRole("button", { name: "Send the rest again" }), "it has not ended").toBeNull();
});

test("the rest is sent again; taking back asks first", async () => {
  const { user, asked } = await history(
    [sent({})],
    {
      "GET /api/publications/5": sent({ answers: [row("A", "taken")] }),
      "POST /api/publications/5/rest": sent({ id: 6, state: "prepared" }),
      "POST /api/publications/6/send": sent({ id: 6, state: "queued" }),
      "POST /api/publications/5/take-back": sent({ id: 8, state: "prepared" }),
      "POST /api/publications/8/send": () => problem(409, "The book was changed meanwhile: look again."),
      "DELETE /api/publications/8": {},
    },
    "5",
  );
  const posts = () => asked.filter((a) => a.method !== "GET").map((a) => `${a.method} ${a.path}`);
  await user.click(await screen.findByRole("button", { name: "Send the rest again" }));
  await waitFor(() => expect(posts()).toEqual(["POST /api/publications/5/rest", "POST /api/publications/6/send"]));
  await user.click(screen.getByRole("button", { name: "Take it back …" }));
  await user.click(screen.getByRole("button", { name: "Leave it" }));
  expect(posts()).toHaveLength(2);
  await user.click(screen.getByRole("button", { name: "Take it back …" }));
  await user.click(screen.getByRole("button", { name: "Take it back" }));
  expect((await screen.findByRole("alert")).textContent).toBe("The book was changed meanwhile: look again.");
  expect(posts().slice(2), "what cannot be sent is not left lying about").toEqual([
    "POST /api/publications/5/take-back",
    "POST /api/publications/8/send",
    "DELETE /api/publications/8",
  ]);
});

test("a reader looks on; a channel without publications says so", async () => {
  await history(
    [sent({ state: "done" })],
    {
      "GET /api/session": { ...administrator, role: "reader" },
      "GET /api/publications/5": sent({ state: "done", answers: [row("A", "taken")] }),
    },
    "5",
  );
  await screen.findByText("taken");
  expect(screen.queryByRole("button", { name: /Take it back/ })).toBeNull();
  await history([]);
  expect(await screen.findByText("Nothing has been sent to this channel yet")).toBeTruthy();
});
