// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { BatchBar } from "./BatchBar";

const path = "POST /api/rules-batch";
const campaigns = { items: [{ code: "dark", name: "Dark & <days>", doc: {}, etag: "1", uses: [] }] };

function bar(more: Parameters<typeof program>[0] = {}) {
  const asked = program({ "GET /api/items/campaigns": campaigns, [path]: { entry: 4, summary: "Did it" }, ...more });
  const clear = vi.fn();
  const drawn = page(<BatchBar codes={["A/B", "=C"]} onClear={clear} />);
  return { ...drawn, clear, done: () => asked.filter((a) => a.method === "POST").map((a) => a.body) };
}

test.each([
  ["Switch on", { do: "on" }],
  ["Make drafts", { do: "draft" }],
  ["Start now", { do: "start" }],
  ["Shift by", { do: "shift", days: 7 }],
  ["Delete", { do: "delete" }],
])("%s", async (name, what) => {
  const { user, clear, done } = bar();
  expect(screen.getByText("2 chosen")).toBeTruthy();
  await user.click(screen.getByRole("button", { name }));
  await waitFor(() => expect(clear).toHaveBeenCalledOnce());
  expect(done()).toEqual([{ codes: ["A/B", "=C"], ...what }]);
  expect(await screen.findByText("Did it")).toBeTruthy();
});

test("into a campaign by its name, and out of any", async () => {
  const { user, done } = bar();
  await user.selectOptions(
    screen.getByLabelText("Campaign of the chosen rules"),
    await screen.findByRole("option", { name: "Dark & <days>" }),
  );
  await user.selectOptions(screen.getByLabelText("Campaign of the chosen rules"), "none");
  await waitFor(() =>
    expect(done()).toEqual([
      { codes: ["A/B", "=C"], do: "campaign", campaign: "dark" },
      { codes: ["A/B", "=C"], do: "campaign", campaign: "" },
    ]),
  );
});

test.each(["", "0", "-", "1.5", "99999", "a week"])("%o is no number of days", async (typed) => {
  const { user } = bar();
  await user.clear(screen.getByLabelText("Days to shift by"));
  if (typed) await user.type(screen.getByLabelText("Days to shift by"), typed);
  expect(screen.getByText("Shift by")).toHaveProperty("disabled", true);
});

test("what is refused leaves the rules chosen, and says why", async () => {
  const { user, clear } = bar({ [path]: () => problem(422, "C has no end that could be shifted.") });
  await user.click(screen.getByText("Shift by"));
  expect(await screen.findByText("C has no end that could be shifted.")).toBeTruthy();
  expect(clear).not.toHaveBeenCalled();
});
