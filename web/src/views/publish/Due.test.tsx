// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { count } from "../../lib/format";
import { page } from "../../testing/page";
import { program } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { Due } from "./Due";

const due = [
  { at: "2026-11-27T00:00", lines: 1234, unpublished: 0 },
  { at: "2026-12-01T00:00", lines: 3, unpublished: 2 },
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
    [...r.children].slice(1).map((c) => c.textContent),
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
