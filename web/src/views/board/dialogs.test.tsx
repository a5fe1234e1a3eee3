// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { noFilter } from "../../lib/address";
import { WordsDialog } from "../../parts/products/WordsDialog";
import { page } from "../../testing/page";
import { problem, program, type Asked } from "../../testing/server";
import { customers, groups, guest, shopState } from "../../testing/shop";
import { BulkDialog } from "./BulkDialog";
import { PasteDialog } from "./PasteDialog";

const filter = { ...noFilter, q: "clay & <grog>", category: "Clay" };
const answers = {
  "GET /api/state": shopState,
  "GET /api/facets": {
    categories: [],
    brands: [],
    tags: ["<heavy>"],
    styles: [],
    suppliers: [],
    types: [],
    taxClasses: [],
    levels: [],
    attrs: ["kg"],
  },
  "GET /api/items/groups": groups,
  "GET /api/items/customers": customers,
};
const preview = {
  reached: 5,
  changed: 3,
  missing: 2,
  moved: 3,
  below: 1,
  checks: [],
  sample: [{ sku: "=A", name: "Buff & <clay>", before: "1500.00", after: "1575.00" }],
};

function bulk(skus: string[] | null, more: Parameters<typeof program>[0] = {}) {
  const asked = program({
    ...answers,
    "POST /api/bulk/preview": preview,
    "POST /api/bulk": { entry: 5, summary: "Raised 3" },
    ...more,
  });
  const close = vi.fn();
  const drawn = page(<BulkDialog viewpoint={guest} filter={filter} skus={skus} total={5} onClose={close} />);
  return { ...drawn, close, asked };
}

test("amounts of all that the filter leaves: seen first, then saved as one", async () => {
  const { user, asked, close } = bulk(null);
  expect(screen.getByRole("button", { name: /^Save/ })).toHaveProperty("disabled", true);
  await user.type(screen.getByLabelText("By how much"), "5");
  expect((await screen.findByTestId("bulk-preview")).textContent).toBe(
    "3 of 5 change, 2 have none and stay; 3 prices move, 1 come to lie below cost",
  );
  expect(screen.getByRole("row", { name: "Buff & <clay> 1\u202f500.00 1\u202f575.00" })).toBeTruthy();
  await user.click(screen.getByRole("button", { name: "Save 3 amounts" }));
  await waitFor(() => expect(close).toHaveBeenCalledOnce());
  const saved = asked.at(-1) as Asked;
  expect(Object.fromEntries(saved.query)).toMatchObject({ q: "clay & <grog>", category: "Clay", channel: "web" });
  expect(saved.body).toEqual({ field: "list", how: "percentOn", value: "5" });
});

test("only those that were chosen, with an ending", async () => {
  const { user, asked } = bulk(["=A", "B"]);
  expect(screen.getByText(/of 2 chosen products/)).toBeTruthy();
  await user.selectOptions(screen.getByLabelText("What changes"), "Cost");
  await user.selectOptions(screen.getByLabelText("How it changes"), "down by");
  await user.selectOptions(screen.getByLabelText("Direction of the ending"), "up to a multiple of");
  await user.type(screen.getByLabelText("By how much"), "1.5");
  await screen.findByTestId("bulk-preview");
  expect(asked.at(-1)?.body).toEqual({
    field: "cost",
    how: "amountOff",
    value: "1.5",
    step: "1",
    direction: "up",
    shift: "-0.05",
    skus: ["=A", "B"],
  });
  await user.selectOptions(screen.getByLabelText("Direction of the ending"), "to the cent");
  await waitFor(() =>
    expect(asked.at(-1)?.body).toEqual({ field: "cost", how: "amountOff", value: "1.5", skus: ["=A", "B"] }),
  );
});

test("what is wrong stands at its field, and nothing can be saved", async () => {
  const { user } = bulk(null, {
    "POST /api/bulk/preview": () =>
      problem(422, "“x” is no number.", { errors: [{ location: "value", message: "“x” is no number" }] }),
  });
  await user.type(screen.getByLabelText("By how much"), "x");
  expect((await screen.findByRole("alert")).textContent).toContain("“x” is no number");
  expect(screen.getByLabelText("By how much").getAttribute("aria-invalid")).toBe("true");
  expect(screen.getByRole("button", { name: /^Save/ })).toHaveProperty("disabled", true);
});

function words(more: Parameters<typeof program>[0] = {}) {
  const asked = program({
    ...answers,
    "POST /api/bulk/words/preview": {
      reached: 5,
      changed: 2,
      effect: null,
      sample: [{ sku: "=A", name: "Buff & <clay>", before: "", after: "<heavy>" }],
    },
    "POST /api/bulk/words": { entry: 6, summary: "Tagged 2" },
    ...more,
  });
  const close = vi.fn();
  const drawn = page(<WordsDialog viewpoint={guest} filter={filter} skus={null} total={5} onClose={close} />);
  return { ...drawn, close, asked, bodies: () => asked.filter((a) => a.method === "POST").map((a) => a.body) };
}

test("a tag for all that the filter leaves", async () => {
  const { user, bodies, close } = words();
  await user.type(screen.getByLabelText("Word"), "<heavy>");
  expect((await screen.findByTestId("words-preview")).textContent).toContain("2 of 5 products change");
  expect(screen.getByText(/Buff & <clay>: none →/).textContent).toBe("Buff & <clay>: none → <heavy>");
  await user.click(await screen.findByRole("button", { name: "Change 2 products" }));
  await waitFor(() => expect(close).toHaveBeenCalledOnce());
  expect(bodies().at(-1)).toEqual({ do: "add", field: "tag", value: "<heavy>" });
});

test("an attribute is asked for only once it is named; an empty word takes it away", async () => {
  const { user, bodies } = words();
  await user.selectOptions(screen.getByLabelText("What changes"), "Set the attribute");
  expect(bodies()).toEqual([]);
  await user.type(screen.getByLabelText("Attribute"), " kg ");
  await waitFor(() => expect(bodies().at(-1)).toEqual({ do: "set", field: "attr:kg", value: "" }));
});

test("pasted cells are read as they are, and leaving them imports nothing", async () => {
  const read = {
    asks: [],
    bad: [],
    badCount: 0,
    changed: 0,
    changes: [],
    fields: [],
    file: "",
    format: { header: 0 },
    headers: [],
    kind: "products",
    mapping: {},
    new: 0,
    remembered: false,
    rows: 2,
    sheet: false,
    token: "p1",
    top: [],
    unchanged: 2,
  };
  const asked = program({ ...answers, "POST /api/imports/paste": read });
  const close = vi.fn();
  const { user } = page(<PasteDialog onClose={close} />);
  await user.click(screen.getByLabelText("Pasted cells"));
  await user.paste("=A&B\t11.90\t9\r\n");
  expect((await screen.findByTestId("import-counts")).textContent).toBe(
    "0 new, 0 changed, 2 unchanged, 0 bad, of 2 rows",
  );
  expect(asked.find((a) => a.path === "/api/imports/paste")?.body).toEqual({
    text: "=A&B\t11.90\t9\r\n".replace("\r\n", "\n"),
  });
  expect(screen.getByRole("button", { name: /^Import/ })).toHaveProperty("disabled", true);
  await user.click(screen.getByText("Leave it"));
  expect(close).toHaveBeenCalledOnce();
});
