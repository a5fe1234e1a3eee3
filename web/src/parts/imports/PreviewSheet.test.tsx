// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Preview } from "../../api/client";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { customers, groups, shopState } from "../../testing/shop";
import { PreviewSheet } from "./PreviewSheet";
import { useImport } from "./useImport";

const preview: Preview = {
  asks: [],
  bad: [],
  badCount: 0,
  changed: 1,
  changes: [
    { sku: "=A&B", name: "<b>Buff</b>", new: false, changes: [{ field: "list", was: "11.9", is: "1250" }] },
    { sku: "NEW", name: "Neu 🏺", new: true, changes: [{ field: "name", was: "", is: "Neu 🏺" }] },
  ],
  fields: [
    { key: "sku", name: "SKU", required: true, isNew: false },
    { key: "list", name: "List price", required: false, isNew: false },
  ],
  file: "prices.csv",
  format: { encoding: "windows-1252", separator: "semicolon", header: 1, decimal: "comma" },
  headers: ["Art.", "Preis"],
  kind: "products",
  mapping: { sku: "Art.", list: "Preis" },
  new: 1,
  remembered: true,
  rows: 2,
  sheet: false,
  token: "t1",
  top: ["Art.;Preis", "=A&B;1.250,00"],
  unchanged: 0,
};
const effect = { at: shopState.now, checks: [], errors: [], prices: [] };
const answers = {
  "GET /api/state": shopState,
  "GET /api/items/groups": groups,
  "GET /api/items/customers": customers,
  "POST /api/imports/t1/effect/preview": effect,
};

function Desk() {
  const on = useImport();
  return (
    <>
      <input
        aria-label="File"
        type="file"
        onChange={(e) => e.target.files?.[0] && on.choose(e.target.files[0], "products")}
      />
      {on.problem && <p data-testid="problem">{on.problem.message}</p>}
      <PreviewSheet on={on} onDone={on.reset} />
    </>
  );
}

async function choose(more: Parameters<typeof program>[0], of: Partial<Preview> = {}) {
  const asked = program({ ...answers, "POST /api/imports": { ...preview, ...of }, ...more });
  const drawn = page(<Desk />);
  await drawn.user.upload(screen.getByLabelText("File"), new File(["Art.;Preis\n"], "prices.csv"));
  await screen.findByTestId("import-counts");
  return { ...drawn, asked };
}

test("what was found in the file is shown: format, columns and changes", async () => {
  await choose({});
  expect(screen.getByTestId("import-counts").textContent).toBe("1 new, 1 changed, 0 unchanged, 0 bad, of 2 rows");
  expect(screen.getByLabelText("Encoding")).toHaveProperty("value", "windows-1252");
  expect(screen.getByLabelText("Decimal mark")).toHaveProperty("value", "comma");
  expect(screen.getByLabelText("Column for List price")).toHaveProperty("value", "Preis");
  expect(screen.getByText("matched as the last time")).toBeTruthy();
  expect(screen.getByText("<b>Buff</b>")).toBeTruthy();
  expect(screen.getByText("1 250")).toBeTruthy();
  expect(await screen.findByText("No price moves now.")).toBeTruthy();
});

test("another column or another way of writing is asked for, with all the rest as it was", async () => {
  const { user, asked } = await choose({
    "POST /api/imports/t1/preview": {
      ...preview,
      badCount: 1,
      bad: [{ line: 2, column: "Preis", value: "1.250,00", problem: "is not an amount" }],
    },
  });
  await user.selectOptions(screen.getByLabelText("Decimal mark"), "1,234.56");
  expect(await screen.findByText("is not an amount")).toBeTruthy();
  expect(asked.at(-1)?.body).toEqual({ mapping: preview.mapping, format: { ...preview.format, decimal: "point" } });
  expect(screen.getByRole("button", { name: /^Import/ })).toHaveProperty("disabled", true);
  await user.selectOptions(screen.getByLabelText("Column for List price"), "not in the file");
  await waitFor(() =>
    expect(asked.at(-1)?.body).toEqual({ mapping: { sku: "Art.", list: "" }, format: preview.format }),
  );
});

test("a column that no field knows is an attribute, or what somebody says it is", async () => {
  const named = { key: "attr:Dealer: A&B", name: "Dealer: A&B", required: false, isNew: true };
  const { user, asked } = await choose(
    { "POST /api/imports/t1/preview": preview },
    { fields: [...preview.fields, named], mapping: { ...preview.mapping, [named.key]: "Dealer: A&B" } },
  );
  const holds = screen.getByLabelText("What the column Dealer: A&B holds");
  expect(holds).toHaveProperty("value", "attr");
  await user.selectOptions(holds, "a price level");
  await waitFor(() =>
    expect(asked.find((a) => a.path === "/api/imports/t1/preview")?.body).toEqual({
      mapping: { ...preview.mapping, "level:Dealer: A&B": "Dealer: A&B" },
      format: preview.format,
    }),
  );
});

test("what can be read in two ways is asked, and nothing is imported before it is answered", async () => {
  const asks = [{ what: "decimal" as const, example: "1.250" }];
  await choose({}, { asks, badCount: 2, bad: [], format: { ...preview.format, decimal: undefined } });
  expect(screen.getByRole("alert").textContent).toContain("“1.250” can be read in two ways");
  expect(screen.getByText("These rows wait for what is chosen above")).toBeTruthy();
  expect(screen.getByRole("button", { name: /^Import/ })).toHaveProperty("disabled", true);
});

test("an import that would break a pinned price asks, then runs and ends", async () => {
  const checks = [{ id: 1, name: "Pinned", differences: [] }];
  let polls = 0;
  const { user, asked } = await choose({
    "POST /api/imports/t1/import": (a: { header: Headers }) =>
      a.header.get("Checks-Seen")
        ? { body: { id: "7", state: "running", step: "Saving", done: 0, total: 2 } }
        : problem(409, "It breaks a check.", { checks }),
    "GET /api/jobs/7": () =>
      polls++ === 0
        ? { body: { id: "7", state: "running", step: "Saving", done: 1, total: 2 } }
        : {
            body: {
              id: "7",
              state: "done",
              step: "",
              done: 2,
              total: 2,
              saved: { entry: 9, summary: "Imported 2 products" },
            },
          },
  });
  await user.click(screen.getByRole("button", { name: "Import 2 products" }));
  await user.click(await screen.findByText("Save it all the same"));
  expect(await screen.findByText("Imported 2 products", undefined, { timeout: 5000 })).toBeTruthy();
  expect(screen.queryByTestId("import-counts")).toBeNull();
  expect(asked.filter((a) => a.path.endsWith("/import"))).toHaveLength(2);
});

test("a file that cannot be read says so, and the one before it is let go", async () => {
  const { user } = await choose({});
  program({ ...answers, "POST /api/imports": () => problem(422, "“x.exe” is neither a spreadsheet nor text.") });
  await user.upload(screen.getByLabelText("File"), new File(["MZ"], "x.exe"));
  expect((await screen.findByTestId("problem")).textContent).toBe("“x.exe” is neither a spreadsheet nor text.");
  expect(screen.queryByTestId("import-counts")).toBeNull();
});
