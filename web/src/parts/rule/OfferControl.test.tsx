// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { beforeEach, expect, test } from "vitest";
import type { DocError } from "../../api/client";
import { page } from "../../testing/page";
import { program } from "../../testing/server";
import { customers, groups, shopState } from "../../testing/shop";
import { offerOf, readOffer, writeOffer, type OfferForm } from "./offer-form";
import { OfferControl } from "./OfferControl";

function Held({ start, errors = [], tried = false }: { start: OfferForm; errors?: DocError[]; tried?: boolean }) {
  const [offer, setOffer] = useState(start);
  const [then, setThen] = useState(false);
  return (
    <>
      <OfferControl offer={offer} errors={errors} tried={tried} onChange={setOffer} then={then} onThen={setThen} />
      <output>{JSON.stringify(writeOffer(offer))}</output>
    </>
  );
}

/** The offer as it would be saved. */
const written = (): unknown => JSON.parse(screen.getByRole("status").textContent);

beforeEach(() => {
  program({
    "GET /api/state": shopState,
    "GET /api/facets": { categories: [], levels: [], costs: [], currencies: [], buyers: [], countries: [] },
    ...Object.fromEntries(
      ["ranges", "ladders", "campaigns", "channels"].map((kind) => [`GET /api/items/${kind}`, { items: [] }]),
    ),
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
  });
});

test("any form can be reached from any shape: a set becomes a deal with a code, an amount and two gifts", async () => {
  const { user } = page(<Held start={offerOf("set")} />);
  await user.click(screen.getByRole("button", { name: "+ code" }));
  await user.type(screen.getByLabelText("Code words"), "CLAY-DAY X99");
  await user.type(screen.getByLabelText("Uses of a code"), "100");
  await user.click(screen.getByRole("button", { name: "+ amount spent" }));
  await user.type(screen.getByLabelText("Amount to be spent"), "50");
  await user.selectOptions(screen.getByLabelText("How often the amount counts"), "every");
  await user.type(screen.getByLabelText("How much"), "12.50");
  await user.selectOptions(screen.getByLabelText("Kind of reduction"), "each");
  await user.click(screen.getByRole("button", { name: "+ something given" }));
  await user.selectOptions(screen.getByLabelText("What is reduced of give 2"), "shipping");
  await user.type(screen.getByLabelText("How much of give 2"), "100");
  await user.click(screen.getByRole("button", { name: "+ most times an order" }));
  await user.click(screen.getByRole("button", { name: "+ not with reduced goods" }));
  expect(written()).toMatchObject({
    needs: [{ id: "a" }, { id: "b" }],
    spend: { amount: "50", every: true },
    codes: { words: ["CLAY-DAY", "X99"], uses: 100 },
    gives: [
      { to: "needs", each: "12.50" },
      { to: "shipping", percentOff: "100" },
    ],
    repeat: 1,
    skipReduced: true,
  });
  // A price for all together goes with one gift alone.
  expect(screen.queryByRole("option", { name: "for all of them" })).toBeNull();
});

test("a part that is taken out leaves the rest; what it was given to is the whole basket then", async () => {
  const { user } = page(<Held start={offerOf("same")} />);
  await user.click(screen.getByRole("button", { name: "Take need 1 out" }));
  expect(written()).toEqual({ gives: { to: "basket", percentOff: "100" } });
  await user.click(screen.getByRole("button", { name: "+ after a purchase" }));
  await user.click(screen.getByRole("button", { name: "Not after a purchase" }));
  await user.click(screen.getByRole("button", { name: "+ no later offer" }));
  await user.click(screen.getByRole("button", { name: "Let later offers apply too" }));
  expect(written()).toEqual({ gives: { to: "basket", percentOff: "100" } });
});

test("what is wrong stands beside its control; what is only empty is reproached once saving was tried", () => {
  const offer = readOffer({
    needs: [{ id: "a", where: { tag: ["<b>"] }, quantity: 0 }],
    codes: { words: ["clay"] },
    gives: { to: "a", units: 5, percentOff: "" },
  });
  const errors: DocError[] = [
    { path: "offer.needs[0].quantity", problem: "must be at least 1", value: "0" },
    { path: "offer.codes.words[0]", problem: "must be 3 to 40 capital letters, digits and hyphens", value: '"clay"' },
    { path: "offer.gives.units", problem: "is above the need's quantity, 0", value: "5" },
  ];
  page(<Held start={offer} errors={errors} />);
  const alerts = () => screen.getAllByRole("alert").map((a) => a.textContent.trim());
  expect(alerts()).toEqual([
    "Must be at least 1.",
    "Must be 3 to 40 capital letters, digits and hyphens.",
    "Is above the need's quantity, 0.",
  ]);
  expect(screen.getByLabelText("How many of need 1").getAttribute("aria-invalid")).toBe("true");
  page(<Held start={offer} errors={errors} tried />);
  expect(alerts()).toContain("Write how much.");
});
