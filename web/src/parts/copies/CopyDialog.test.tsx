// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { page } from "../../testing/page";
import { program, type Asked } from "../../testing/server";
import { customers, groups, shopState } from "../../testing/shop";
import { CopyDialog } from "./CopyDialog";

const copies = [
  {
    kind: "campaigns",
    code: "DARK-2027",
    name: "Dark 2027",
    of: "DARK",
    from: "2027-11-26T09:00",
    to: "2027-12-06T00:00",
    undated: false,
    doc: { code: "DARK-2027", name: "Dark 2027" },
  },
  {
    kind: "rules",
    code: "CLAY-2027",
    name: "Clay & <week> 2027",
    of: "CLAY",
    undated: false,
    doc: { code: "CLAY-2027", name: "Clay & <week> 2027" },
  },
  { kind: "rules", code: "BARE-copy", name: "Bare", of: "BARE", undated: true, doc: { code: "BARE-copy" } },
];

function dialog() {
  const close = vi.fn();
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
    "POST /api/copies/plan": { copies },
    "POST /api/edit/preview": { at: "2027-11-26T09:00", checks: [], errors: [], prices: [] },
    "POST /api/edit": { version: 13, entry: 1, summary: "Copied" },
  });
  const plans = () => asked.filter((a: Asked) => a.path === "/api/copies/plan").map((a) => a.body);
  return { ...page(<CopyDialog of={{ rules: ["CLAY", "BARE"] }} onClose={close} />), asked, plans, close };
}

test("what is made is seen with its dates, renamed, and saved as one; what has no dates is named and left", async () => {
  const { user, asked, plans, close } = dialog();
  const name = await screen.findByLabelText("Name of the copy of CLAY");
  expect(plans()).toEqual([{ rules: ["CLAY", "BARE"], by: "year" }]);
  expect(screen.getByText(/from Fri 26 Nov 2027 09:00 through Sun 5 Dec 2027/)).toBeTruthy();
  expect(screen.getByText("with its campaign")).toBeTruthy();
  expect(screen.getByText(/One rule has no dates that could be moved and is not copied: BARE/)).toBeTruthy();
  await user.clear(name);
  await user.type(name, "Clay, once more");
  await user.click(await screen.findByRole("button", { name: "Make 2 copies" }));
  await waitFor(() => {
    expect(close).toHaveBeenCalled();
  });
  const saved = asked.find((a) => a.path === "/api/edit")?.body as { changes: { doc: { name: string } }[] };
  expect(saved.changes.map((c) => c.doc.name)).toEqual(["Dark 2027", "Clay, once more"]);
  expect(
    asked.find((a) => a.path === "/api/edit/preview" && (a.body as { at?: string }).at === "2027-11-26T09:00"),
  ).toBeTruthy();
});

test("by so many days: only a number of days is asked about", async () => {
  const { user, plans } = dialog();
  await user.selectOptions(await screen.findByLabelText("To which time"), "by so many days");
  const days = screen.getByLabelText("Days to copy by");
  await user.clear(days);
  await user.type(days, "x");
  expect(screen.getByRole("alert").textContent).toContain("Write by how many days");
  await user.clear(days);
  await user.type(days, "-3");
  await waitFor(() => {
    expect(plans().at(-1)).toEqual({ rules: ["CLAY", "BARE"], by: "days", days: -3 });
  });
  expect(plans().some((p) => (p as { days?: number }).days === 0 || Number.isNaN((p as { days?: number }).days))).toBe(
    false,
  );
});
