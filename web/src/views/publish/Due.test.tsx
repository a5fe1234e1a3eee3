// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test } from "vitest";
import { count } from "../../lib/format";
import { page } from "../../testing/page";
import { problem, program, type Asked } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { Due } from "./Due";

const due = [
  { at: "2026-11-27T00:00", lines: 1234, unpublished: 0, causes: [] },
  { at: "2026-12-01T00:00", lines: 3, unpublished: 2, causes: [] },
];

test.each([
  ["on-the-minute", "The <quay> is told on the minute, as the book was published last."],
  ["by-hand", "The <quay> is told by hand: at these moments it falls behind until somebody sends."],
])("a channel that is told %s is told so", async (sends, words) => {
  program({
    "GET /api/state": shopState,
    "GET /api/channels/quay/due": { due },
    "GET /api/links": {
      links: [
        { channel: "web", sends: "by-hand" },
        { channel: "quay", sends },
      ],
    },
  });
  page(<Due channel="quay" name="<quay>" />);
  expect(await screen.findByText(words)).toBeTruthy();
  const cells = [...document.querySelectorAll("[data-due]")].map((r) =>
    [...r.children].slice(2).map((c) => c.textContent),
  );
  expect(cells).toEqual([
    [count(1234), "–"],
    ["3", "2"],
  ]);
});

test("where nothing begins or ends, that is said", async () => {
  program({
    "GET /api/state": shopState,
    "GET /api/channels/quay/due": { due: [] },
    "GET /api/links": { links: [] },
  });
  page(<Due channel="quay" name="quay" />);
  expect(await screen.findByText("Nothing changes by itself")).toBeTruthy();
});

const session = { name: "maren", fullName: "Maren", role: "manager", demo: [] };
const sale = {
  kind: "campaigns",
  code: "A/B",
  name: "Autumn <fair>",
  opens: false,
  lines: 12,
  rules: 2,
  turns: ["end"],
  along: ["Web <shop>", "Till"],
};
const evening = {
  kind: "rules",
  code: "E",
  name: "طين evening",
  opens: true,
  lines: 3,
  rules: 0,
  turns: ["skip"],
  along: [],
};

/** The tab of a shop in which a campaign ends and an evening begins. */
function turning(role: string, more: Parameters<typeof program>[0] = {}) {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/session": { ...session, role },
    "GET /api/channels/quay/due": {
      due: [{ at: "2026-12-01T00:00", lines: 15, unpublished: 0, causes: [sale, evening] }],
    },
    "GET /api/links": { links: [{ channel: "quay", sends: "on-the-minute" }] },
    ...more,
  });
  page(<Due channel="quay" name="quay" />);
  return asked;
}

test("what ends is ended now once that was asked, and what became of it is told by channel", async () => {
  const asked = turning("manager", {
    "POST /api/turns": {
      version: 9,
      entry: 4,
      summary: "Autumn <fair> ends now",
      sent: [
        {
          channel: "quay",
          name: "Quay & co",
          publication: { id: 3, state: "waiting", lines: 12, leftOut: 2 },
        },
        { channel: "till", name: "Till", problem: "A newer publication is on its way." },
      ],
    },
  });
  await userEvent.click(await screen.findByRole("button", { name: /^End now: Autumn <fair>/ }));
  const sure = await screen.findByRole("alertdialog");
  expect(sure.textContent).toContain("It ends now for good, instead of");
  await userEvent.click(within(sure).getByRole("button", { name: "End now" }));
  expect((await screen.findByText(/Quay & co/)).textContent).toBe(
    "Quay & co: 12 prices, waits for a second person · 2 others wait for a publication by hand, and the clock leaves them alone",
  );
  expect(screen.getByText(/^Till/).textContent).toBe("Till: not told: A newer publication is on its way.");
  const posted = asked.find((a: Asked) => a.method === "POST");
  expect(posted?.body).toEqual({ kind: "campaigns", code: "A/B", turn: "end", at: "2026-12-01T00:00" });
});

test("what is left as it is is not turned, and a refusal says why", async () => {
  turning("manager", { "POST /api/turns": () => problem(409, "E does not turn any more.") });
  await userEvent.click(await screen.findByRole("button", { name: /^Skip this time: طين evening/ }));
  await userEvent.click(await screen.findByRole("button", { name: "Leave it as it is" }));
  expect(screen.queryByRole("alert")).toBeNull();
  await userEvent.click(await screen.findByRole("button", { name: /^Skip this time: طين evening/ }));
  await userEvent.click(await screen.findByRole("button", { name: "Skip this time" }));
  expect((await screen.findByRole("alert")).textContent).toBe("E does not turn any more.");
});

test("a reader sees what begins and ends, and turns nothing", async () => {
  turning("reader");
  const cells = await screen.findAllByRole("cell");
  expect(cells[1]?.textContent).toBe("Autumn <fair> campaign ends, with 2 of its rulesطين evening begins");
  expect(screen.queryByRole("button")).toBeNull();
});
