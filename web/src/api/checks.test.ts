import { expect, test } from "vitest";
import { guest } from "../testing/shop";
import { priceAsked } from "./checks";

test("a pin asks just what was seen: whom, how many, what is assumed, and drafts that count as on", () => {
  expect(priceAsked("=A&B", "2026-11-27T09:00", guest)).toEqual({
    sku: "=A&B",
    at: "2026-11-27T09:00",
    channel: "web",
  });
  const asked = priceAsked("A", "2026-11-27T09:00", {
    ...guest,
    quantity: 12,
    who: "group:trade",
    with: ["D"],
    country: "DE",
    first: "yes",
    signedIn: "no",
  });
  expect(asked).toMatchObject({
    quantity: 12,
    group: "trade",
    with: ["D"],
    country: "DE",
    firstOrder: true,
    signedIn: false,
  });
});
