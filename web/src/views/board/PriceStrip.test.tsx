// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import type { BoardRow } from "../../api/client";
import { page } from "../../testing/page";
import { row } from "../../testing/shop";
import { PriceStrip } from "./PriceStrip";

const layers = ["catalog", "sale", "promotion"] as const;

function strip(parts: Partial<BoardRow>) {
  page(<PriceStrip row={row(parts)} layers={[...layers]} width={200} />);
  return document.querySelector("svg");
}

/** Where a vertical line of the drawing stands, and the bar's end, in pixels from the scale's begin. */
const lines = (svg: Element | null) =>
  [...(svg?.querySelectorAll("line") ?? [])]
    .filter((l) => l.getAttribute("x1") === l.getAttribute("x2"))
    .map((l) => Number(l.getAttribute("x1")) - 1); // the scale begins one pixel in

test("it says in words what it draws", () => {
  strip({ list: "20", price: "15", cost: "9.5", after: ["20", "16", "15"], lowest: "12" });
  expect(
    screen.getByRole("img", { name: "list 20, Sale takes 4.00, Promotion takes 1.00, price 15, cost 9.5" }),
  ).toBeTruthy();
});

test("a layer that raises the price adds", () => {
  strip({ list: "20", price: "22", after: ["22", "22", "22"] });
  expect(screen.getByRole("img", { name: "list 20, Catalog adds 2.00, price 22" })).toBeTruthy();
});

test("marks stand in the order of their amounts on a scale from 0", () => {
  const svg = strip({ list: "20", price: "10", cost: "5", after: ["10", "10", "10"] });
  const [list, cost] = lines(svg) as [number, number];
  expect(list / cost).toBeCloseTo(4, 1);
  const bar = Number(svg?.querySelector("rect[opacity]")?.getAttribute("width"));
  expect(bar / cost).toBeCloseTo(2, 1);
});

test("under cost the gap is hatched", () => {
  const svg = strip({ list: "20", price: "4", cost: "5", after: ["4", "4", "4"] });
  expect(svg?.querySelector('[fill="url(#under)"]')).toBeTruthy();
  expect(svg?.getAttribute("aria-label")).toContain("below cost");
});

test("no price is no drawing, a price of nothing is one", () => {
  expect(strip({ list: "20" })).toBeNull();
  expect(screen.getByText("no price")).toBeTruthy();
  expect(strip({ price: "0", list: "0", cost: "0", after: ["0", "0", "0"] })?.innerHTML).not.toContain("NaN");
});
