// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import type { EditImpact } from "../api/client";
import { page } from "../testing/page";
import { program } from "../testing/server";
import { customers, groups } from "../testing/shop";
import { EffectNote } from "./effect-note";

const channel = {
  below: 0,
  channel: "web",
  cleared: 0,
  down: 0,
  marginAfter: null,
  marginBefore: null,
  moved: 0,
  name: "Web & quay",
  newBelow: 0,
  quantity: 1,
  up: 0,
};
const note = (parts: Partial<EditImpact>, now = "2026-11-26T09:00") => {
  program({ "GET /api/items/groups": groups, "GET /api/items/customers": customers });
  page(
    <EffectNote
      effect={{ at: now, checks: [], errors: [], prices: [], ...parts }}
      busy={false}
      now="2026-11-26T09:00"
    />,
  );
};

test("nothing moves now, or at the moment looked at", () => {
  note({ prices: [channel] });
  expect(screen.getByText("No price moves now.")).toBeTruthy();
  note({}, "2026-11-27T18:00");
  expect(screen.getByText("No price moves on Fri 27 Nov 18:00.")).toBeTruthy();
});

test("each channel and group that moves, with its margin and what comes to lie below cost", async () => {
  note({
    prices: [
      channel,
      { ...channel, moved: 1, down: 1, marginBefore: "41.7", marginAfter: "-3.25", newBelow: 1 },
      { ...channel, moved: 14, up: 14, who: "group:trade", quantity: 12, cleared: 2 },
    ],
  });
  expect(await screen.findByText(/for Trade & “friends”, 12 pieces/)).toBeTruthy();
  const lines = screen.getAllByRole("listitem").map((l) => l.textContent);
  expect(lines).toEqual([
    "Web & quay1 price movesmargin 41.7 % → −3.25 %1 come to lie below cost",
    "Web & quay for Trade & “friends”, 12 pieces14 prices move2 no longer below cost",
  ]);
});

test("what is pinned and would break is named with what they would be", () => {
  note({
    checks: [
      { id: 1, name: "The “table” kiln", differences: [{ what: "price", want: "1312.72", have: "null" }] },
      { id: 2, name: "<b>Bag</b>", problem: "the product is gone", differences: [] },
    ],
  });
  expect(screen.getByText("2 pinned prices or baskets would no longer hold")).toBeTruthy();
  expect(screen.getByText(/The “table” kiln/).textContent).toContain("price 1\u202f312.72 expected, no price then");
  expect(screen.getByText("<b>Bag</b>: the product is gone")).toBeTruthy();
});
