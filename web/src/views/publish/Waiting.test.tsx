// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Publication } from "../../api/client";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { Waiting } from "./Waiting";

const waits = { id: 7, channel: "web", state: "waits", who: "maren <m>", lines: 1200, leftOut: 0, rules: 2 };

async function bar(who: string, role: string, more: Parameters<typeof program>[0] = {}) {
  const asked = program({
    "GET /api/session": { name: who, role, demo: [] },
    "GET /api/state": shopState,
    "GET /api/publications/7": { ...waits, answers: [] },
    ...more,
  });
  const look = vi.fn();
  const drawn = page(<Waiting publication={waits as unknown as Publication} onLook={look} />);
  await screen.findByText(/maren <m> wants to send/);
  await waitFor(() => expect(asked.some((a) => a.path === "/api/session")).toBe(true));
  return { ...drawn, asked, look };
}
const button = (name: string) => screen.getByRole("button", { name });

test("another approver refuses with a reason alone, or approves", async () => {
  const step = { ...waits, state: "refused" };
  const { user, asked, look } = await bar("ilko", "approver", {
    "POST /api/publications/7/refuse": step,
    "POST /api/publications/7/approve": step,
  });
  expect((await screen.findByRole("button", { name: "Refuse" })).hasAttribute("disabled")).toBe(true);
  await user.type(screen.getByLabelText("A note, or why you refuse it"), "   ");
  expect(button("Refuse")).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("A note, or why you refuse it"), "too low & “odd”");
  await user.click(button("Refuse"));
  await waitFor(() =>
    expect(asked.find((a) => a.path.endsWith("/refuse"))?.body).toEqual({ reason: "   too low & “odd”" }),
  );
  await user.click(button("Approve and send"));
  await waitFor(() => expect(asked.some((a) => a.path.endsWith("/approve"))).toBe(true));
  await user.click(button("Each price"));
  expect(look).toHaveBeenCalledOnce();
});

test.each([
  ["maren <m>", "administrator", "Somebody else has to agree to it."],
  ["tessel", "manager", "It waits for somebody who may approve it."],
])("%s as %s is told who decides", async (who, role, why) => {
  await bar(who, role);
  expect(await screen.findByText(why)).toBeTruthy();
  expect(screen.queryByRole("button", { name: "Approve and send" })).toBeNull();
});

test("what was decided meanwhile is said, and the reason stays", async () => {
  const { user } = await bar("ilko", "approver", {
    "POST /api/publications/7/refuse": () => problem(409, "It was approved meanwhile."),
  });
  await user.type(await screen.findByLabelText("A note, or why you refuse it"), "no");
  await user.click(button("Refuse"));
  expect((await screen.findByRole("alert")).textContent).toBe("It was approved meanwhile.");
  expect(screen.getByLabelText("A note, or why you refuse it")).toHaveProperty("value", "no");
});
