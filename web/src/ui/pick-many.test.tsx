// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { page } from "../testing/page";
import { PickMany } from "./pick-many";

const names: Record<string, string> = { "C-03": "Hollow Lane <Studio> & co", "C-04": "Œuvre d’argile" };

function Customers() {
  const [chosen, setChosen] = useState<string[]>([]);
  return (
    <PickMany
      label="Customer"
      options={Object.keys(names)}
      chosen={chosen}
      onChange={setChosen}
      empty="+ single customers"
      show={(c) => names[c] ?? c}
      leftEmpty="No customer was chosen."
    />
  );
}

test.each(["hollow", "LANE <st", "c-03"])("%o finds the customer by name or code", async (typed) => {
  const { user } = page(<Customers />);
  await user.click(screen.getByRole("button"));
  await user.type(screen.getByPlaceholderText("Find a customer"), typed);
  expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["Hollow Lane <Studio> & co C-03"]);
  await user.keyboard("{Enter}{Escape}");
  expect(screen.getByRole("button", { name: "Customer: Hollow Lane <Studio> & co" })).toBeTruthy();
  expect(screen.queryByRole("status")).toBeNull();
});

test("left empty it says what that means, until something is chosen", async () => {
  const { user } = page(<Customers />);
  expect(screen.queryByText("No customer was chosen.")).toBeNull();
  await user.click(screen.getByRole("button"));
  await user.keyboard("{Escape}");
  expect(screen.getByText("No customer was chosen.")).toBeTruthy();
});
