// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import type { UserEvent } from "@testing-library/user-event";
import { useState } from "react";
import { expect, test } from "vitest";
import type { BrokenCheck, Saved, Seen } from "../api/client";
import { useSave } from "../api/saving";
import { page } from "../testing/page";
import { problem, program } from "../testing/server";
import { api, take } from "../api/client";
import { errorText } from "../lib/format";

const checks: BrokenCheck[] = [
  { id: 4, name: "Bag of <b>buff</b> & 1", differences: [{ what: "price", want: "15.75", have: "14.00" }] },
];
const saved: Saved = { entry: 7, summary: "Deleted the rule “quay & clay”" } as Saved;

/** A control that deletes a rule. */
function Deleter() {
  const save = useSave(
    (code: string, seen: Seen) =>
      take(
        api.DELETE("/api/rules/{code}", { params: { path: { code }, header: { "If-Match": '"1"', ...seen } } }),
      ) as Promise<Saved>,
  );
  const [done, setDone] = useState(false);
  return (
    <>
      <button onClick={() => save.mutate("R", { onSuccess: () => setDone(true) })}>Delete</button>
      {done && <p>it is gone</p>}
      {save.error && <p role="alert">{errorText(save.error)}</p>}
    </>
  );
}

/** Presses the control of a notice, once it can be: while it is drawn, the list of notices lets the pointer through. */
const pressUndo = (user: UserEvent) => waitFor(async () => user.click(await screen.findByText("Undo")));

test("what breaks no check is saved at once, and can be undone from the notice", async () => {
  const asked = program({
    "DELETE /api/rules/R": saved,
    "POST /api/log/7/undo": { entry: 8, summary: "Took back: Deleted the rule" },
  });
  const { user } = page(<Deleter />);
  await user.click(screen.getByText("Delete"));
  expect(await screen.findByText("Deleted the rule “quay & clay”")).toBeTruthy();
  expect(screen.getByText("it is gone")).toBeTruthy();
  expect(asked[0]?.header.get("Checks-Seen")).toBeNull();
  await pressUndo(user);
  expect(await screen.findByText("Took back: Deleted the rule")).toBeTruthy();
  expect(asked.map((a) => a.path)).toEqual(["/api/rules/R", "/api/log/7/undo"]);
});

const guarded = (a: { header: Headers }) =>
  a.header.get("Checks-Seen") === "true" ? { body: saved } : problem(409, "It breaks a pinned price.", { checks });

test("what breaks a check is saved only once somebody has seen it, and only that one write says so", async () => {
  const asked = program({ "DELETE /api/rules/R": guarded });
  const { user } = page(<Deleter />);
  await user.click(screen.getByText("Delete"));
  expect(await screen.findByText("Nothing is saved yet")).toBeTruthy();
  expect(screen.getByText(/Bag of <b>buff<\/b> & 1/)).toBeTruthy();
  await user.click(screen.getByText("Save it all the same"));
  expect(await screen.findByText("it is gone")).toBeTruthy();
  await user.click(screen.getByText("Delete"));
  await screen.findByText("Nothing is saved yet");
  expect(asked.map((a) => a.header.get("Checks-Seen"))).toEqual([null, "true", null]);
});

test("what was left as it was is not sent again, and the control says why", async () => {
  const asked = program({ "DELETE /api/rules/R": guarded });
  const { user } = page(<Deleter />);
  await user.click(screen.getByText("Delete"));
  await user.click(await screen.findByText("Leave it as it was"));
  expect((await screen.findByRole("alert")).textContent).toContain("It breaks a pinned price.");
  expect(screen.queryByText("Nothing is saved yet")).toBeNull();
  expect(asked).toHaveLength(1);
});

test("an undo that is refused says so in a notice", async () => {
  program({ "DELETE /api/rules/R": saved, "POST /api/log/7/undo": () => problem(409, "R was changed since.") });
  const { user } = page(<Deleter />);
  await user.click(screen.getByText("Delete"));
  await pressUndo(user);
  expect(await screen.findByText("Cannot be undone: R was changed since.")).toBeTruthy();
});

test("a write that cannot be sent says so, and can be tried again", async () => {
  let up = false;
  program({ "DELETE /api/rules/R": () => (up ? { body: saved } : Promise.reject(new TypeError("refused"))) });
  const { user } = page(<Deleter />);
  await user.click(screen.getByText("Delete"));
  expect((await screen.findByRole("alert")).textContent).toBe("The program does not answer. Is it still running?");
  up = true;
  await user.click(screen.getByText("Delete"));
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
});
