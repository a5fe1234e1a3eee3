// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { page } from "../testing/page";
import { program } from "../testing/server";
import { row, shopState } from "../testing/shop";
import { Palette } from "./Palette";

const rules = {
  rules: [
    { rule: { code: "A/B", name: "Quay & <clay>", layer: "sale" }, etag: "1" },
    { rule: { code: "GLAZE", layer: "tier" }, etag: "1" },
  ],
};

function palette() {
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/rules": rules,
    "GET /api/board": { rows: [row({ sku: "=A&B", name: "Clay <buff>" })], total: 1 },
  });
  const change = vi.fn();
  const drawn = page(<Palette open onOpenChange={change} />, "/flags?channel=quay&q=x");
  return { ...drawn, change, asked };
}
const box = () => screen.getByRole("combobox");

test("what to do is found by a part of its name, and Enter does it with the viewpoint kept", async () => {
  const { user, address, change } = palette();
  await user.type(box(), "calen{Enter}");
  await waitFor(() => expect(address()).toBe("/calendar?channel=quay"));
  expect(change).toHaveBeenCalledWith(false);
});

test("a rule is found by its name and by its code", async () => {
  const { user, address } = palette();
  await user.type(box(), "& <CLAY");
  await user.click(await screen.findByRole("option", { name: /Quay & <clay>/ }));
  await waitFor(() => expect(address()).toBe("/stack/rule/A%2FB?channel=quay"));
  const other = palette();
  await other.user.type(box(), "glaz");
  expect(await screen.findByRole("option", { name: /GLAZE/ })).toBeTruthy();
});

test("products are looked for in the channel of the viewpoint, from the second letter on", async () => {
  const { user, asked } = palette();
  await user.type(box(), "c");
  expect(asked.filter((a) => a.path === "/api/board")).toHaveLength(0);
  await user.type(box(), "l");
  expect(await screen.findByRole("option", { name: /Clay <buff>/ })).toBeTruthy();
  expect(Object.fromEntries(asked.find((a) => a.path === "/api/board")?.query ?? [])).toMatchObject({
    q: "cl",
    channel: "quay",
  });
});

test("nothing by that name is said", async () => {
  program({ "GET /api/state": shopState, "GET /api/rules": rules, "GET /api/board": { rows: [], total: 0 } });
  const { user } = page(<Palette open onOpenChange={() => undefined} />);
  await user.type(box(), "zzzz");
  expect(await screen.findByText("Nothing by that name.")).toBeTruthy();
});
