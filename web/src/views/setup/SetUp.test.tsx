// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { SetUp } from "./SetUp";

const session = (role: string) => ({ "GET /api/session": { name: "maren", role, demo: [] } });

test("currency, zone and taxes are said once, trimmed, and the import comes next", async () => {
  const asked = program({ ...session("administrator"), "PUT /api/setup": {} });
  const { user, address } = page(<SetUp />);
  const type = async (label: string, text: string) => {
    await user.clear(await screen.findByLabelText(label));
    await user.type(screen.getByLabelText(label), text);
  };
  await type("Currency", " jpy ");
  await type("Time zone", "Asia/Tokyo");
  await user.selectOptions(screen.getByLabelText("Prices and tax"), "without tax");
  await user.click(screen.getByText(/tax class/, { selector: "button" }));
  const names = screen.getAllByLabelText(/^Name of tax class|^Tax class \d/);
  await user.type(names.at(-1) as HTMLElement, "reduced");
  await user.click(screen.getByText("Set the book up"));
  await waitFor(() => expect(address()).toBe("/catalogue/import"));
  expect(asked.find((a) => a.method === "PUT")?.body).toMatchObject({
    currency: "JPY",
    timeZone: "Asia/Tokyo",
    pricesIncludeTax: false,
    rounding: "half-up",
    roundAt: "end",
  });
});

test("what is wrong stands beside it, and nothing typed is lost", async () => {
  program({
    ...session("administrator"),
    "PUT /api/setup": () =>
      problem(422, "Unfit.", { errors: [{ location: "timeZone", message: "there is no zone “Mars”" }] }),
  });
  const { user } = page(<SetUp />);
  await user.clear(await screen.findByLabelText("Time zone"));
  await user.type(screen.getByLabelText("Time zone"), "Mars");
  await user.click(screen.getByText("Set the book up"));
  expect(await screen.findByText("there is no zone “Mars”")).toBeTruthy();
  expect(screen.getByLabelText("Time zone").getAttribute("aria-invalid")).toBe("true");
  expect(screen.getByLabelText("Time zone")).toHaveProperty("value", "Mars");
});

test("whoever may not set it up is told who does", async () => {
  program(session("manager"));
  page(<SetUp />);
  expect(await screen.findByText("An administrator says its currency and taxes first.")).toBeTruthy();
});
