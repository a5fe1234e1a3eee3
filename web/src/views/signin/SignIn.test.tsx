// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { SignIn } from "./SignIn";

const nobody = { name: "", role: "", demo: [] };
const demo = [{ name: "maren", fullName: "Maren & <co>", role: "manager", password: "demo" }];

test("a wrong password says so and keeps the name", async () => {
  const asked = program({
    "GET /api/session": nobody,
    "POST /api/session": () => problem(401, "Name and password do not belong together."),
  });
  const { user } = page(<SignIn />);
  expect(screen.getByText("Sign in")).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("Name"), " maren ");
  await user.type(screen.getByLabelText("Password"), " a word {Enter}");
  expect((await screen.findByRole("alert")).textContent).toBe("Name and password do not belong together.");
  expect(asked.at(-1)?.body).toEqual({ name: "maren", password: " a word " });
  expect(screen.getByLabelText("Name")).toHaveProperty("value", " maren ");
  expect(screen.queryByText(/This is the demo/)).toBeNull();
});

test("the demo offers its people", async () => {
  const asked = program({
    "GET /api/session": { ...nobody, demo },
    "POST /api/session": () => problem(429, "Too many tries: wait 30 seconds."),
  });
  const { user } = page(<SignIn />);
  await user.click(await screen.findByText("Maren & <co>"));
  expect(asked.at(-1)?.body).toEqual({ name: "maren", password: "demo" });
  expect((await screen.findByRole("alert")).textContent).toBe("Too many tries: wait 30 seconds.");
});
