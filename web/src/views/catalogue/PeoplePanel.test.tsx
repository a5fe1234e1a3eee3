// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { PeoplePanel } from "./PeoplePanel";

const people = [
  { name: "maren", fullName: "Maren & <Quaye>", role: "administrator", active: true },
  { name: "tessel", fullName: "Tessel", role: "reader", active: true },
];

async function panel(more: Parameters<typeof program>[0] = {}) {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/people": { people },
    "GET /api/journal": { events: [] },
    ...more,
  });
  const drawn = page(<PeoplePanel />);
  await screen.findByLabelText("Name of tessel");
  return { ...drawn, asked, writes: () => asked.filter((a) => a.method !== "GET") };
}
const row = (name: string) => within(document.querySelector<HTMLElement>(`[data-person=${name}]`) ?? document.body);

test("only what was changed of a person can be saved, and a password only when one was typed", async () => {
  const { user, writes } = await panel({ "PUT /api/people/tessel": {} });
  expect(row("tessel").getByText("Save")).toHaveProperty("disabled", true);
  await user.selectOptions(screen.getByLabelText("Role of tessel"), "manager");
  await user.click(row("tessel").getByText("Save"));
  expect(writes()[0]?.body).toEqual({ fullName: "Tessel", role: "manager", active: true });
  await user.type(screen.getByLabelText("New password of tessel"), "a longer word");
  await user.click(row("tessel").getByText("Save"));
  expect(writes()[1]?.body).toMatchObject({ password: "a longer word" });
  expect(screen.getByLabelText("New password of tessel")).toHaveProperty("value", "");
});

test("what is refused stays beside the person, with what was typed", async () => {
  const { user } = await panel({ "PUT /api/people/maren": () => problem(409, "Somebody has to be administrator.") });
  await user.click(screen.getByLabelText("maren may sign in"));
  await user.click(row("maren").getByText("Save"));
  expect((await screen.findByRole("alert")).textContent).toBe("Somebody has to be administrator.");
  expect(screen.getByLabelText("maren may sign in")).toHaveProperty("checked", false);
});

test("somebody new: an error stands beside its field, and success empties the form", async () => {
  let refuse = true;
  const { user, writes } = await panel({
    "POST /api/people": () =>
      refuse
        ? problem(422, "Unfit.", { errors: [{ location: "password", message: "at least 10 characters" }] })
        : { body: {} },
  });
  await user.type(screen.getByLabelText("Signs in as"), "ödön");
  await user.type(screen.getByLabelText("First password"), "short");
  await user.click(screen.getByText("Add"));
  const field = screen.getByLabelText(/First password/);
  expect(await screen.findByText("at least 10 characters")).toBeTruthy();
  expect(field.getAttribute("aria-invalid")).toBe("true");
  refuse = false;
  await user.type(field, " no more");
  await user.click(screen.getByText("Add"));
  expect(writes()[1]?.body).toMatchObject({ name: "ödön", password: "short no more", role: "reader" });
  expect(screen.getByLabelText("Signs in as")).toHaveProperty("value", "");
});
