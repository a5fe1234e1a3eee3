// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { emptyForm, writeForm, type Form } from "../../../parts/rule/form";
import { page } from "../../../testing/page";
import { program } from "../../../testing/server";
import { shopState } from "../../../testing/shop";
import { LimitsControl } from "./LimitsControl";

function limits(start: Partial<Form>) {
  program({ "GET /api/state": shopState, "GET /api/facets": { levels: [], costs: [], currencies: ["EUR"] } });
  let form: Form = { ...emptyForm("promotion", 7), code: "R", ...start };
  function Held() {
    const [f, set] = useState(form);
    form = f;
    return <LimitsControl form={f} errors={new Map()} change={(part) => set((old) => ({ ...old, ...part }))} />;
  }
  return { ...page(<Held />), rule: () => writeForm(form) };
}

test("fixed for a customer is one choice, and taken back in one", async () => {
  const { user, rule } = limits({ customers: ["C1"] });
  await user.click(screen.getByText("+ fixed: nothing else changes it"));
  expect(rule()).toMatchObject({ layer: "group", rank: 1, mayRaise: true, then: "end-price" });
  expect(screen.getByText(/fixed for this customer: nothing else changes it/)).toBeTruthy();
  expect(screen.queryByText(/no later rule or offer/)).toBeNull();
  await user.click(screen.getByLabelText("Not fixed"));
  expect(rule()).not.toHaveProperty("mayRaise");
  expect(rule()).not.toHaveProperty("then");
});

test("only what is for single customers can be fixed", () => {
  limits({ groups: ["trade"], customers: ["C1"] });
  expect(screen.queryByText(/fixed: nothing else/)).toBeNull();
});

test("a rule that changes no price says so while it is written", async () => {
  const { user } = limits({ effect: { ...emptyForm("sale", 1).effect, value: "0.00" }, mayRaise: true });
  expect(screen.getByRole("alert").textContent).toBe("This rule takes nothing off: it changes no price.");
  await user.click(screen.getByText("+ floor"));
  expect(screen.getByRole("alert").textContent).toContain("and a floor never raises a price");
  await user.click(screen.getByText("+ ending"));
  expect(screen.queryByRole("alert")).toBeNull();
});
