// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { program, type Asked } from "../../testing/server";
import { customers, groups, shopState } from "../../testing/shop";
import { BreaksControl } from "./BreaksControl";
import { EffectControl } from "./EffectControl";
import { emptyForm, writeForm, type Form } from "./form";
import { unfinished } from "./selection";
import { SelectionBuilder } from "./SelectionBuilder";
import { WhenControl } from "./WhenControl";
import { WhoControl } from "./WhoControl";

const facets = {
  categories: ["Clay", "Clay/Stoneware"],
  brands: ["Fernhask & “Sons”"],
  tags: ["<heavy>"],
  styles: [],
  suppliers: [],
  types: [],
  taxClasses: ["standard"],
  levels: ["msrp"],
  attrs: ["kg"],
};
const answers = {
  "GET /api/state": shopState,
  "GET /api/facets": facets,
  "GET /api/items/groups": groups,
  "GET /api/items/customers": customers,
  "GET /api/items/campaigns": { items: [{ code: "dark", name: "Dark days", doc: {}, etag: "1", uses: [] }] },
  "GET /api/items/ranges": { items: [] },
  "GET /api/items/ladders": { items: [{ code: "by-six", name: "By six", doc: {}, etag: "1", uses: [] }] },
};

/** A control of the editor over a form; rule() is what would be saved. */
function editor(Control: typeof WhenControl, start: Partial<Form> = {}, more: Record<string, object> = {}) {
  const asked = program({ ...answers, ...more });
  let form: Form = { ...emptyForm("sale", 3), code: "R", ...start };
  function Held() {
    const [f, set] = useState(form);
    form = f;
    return <Control form={f} errors={new Map()} change={(part) => set((old) => ({ ...old, ...part }))} />;
  }
  return { ...page(<Held />), asked, rule: () => writeForm(form) };
}

test("dates and times are typed without pauses; the last day and the last minute are meant whole", async () => {
  const { user, rule } = editor(WhenControl);
  await user.type(screen.getByLabelText("From date"), "2026-11-27");
  await user.type(screen.getByLabelText("From time"), "09:00");
  await user.type(screen.getByLabelText("Through date"), "2026-11-29");
  expect(rule().window).toEqual({ from: "2026-11-27T09:00", to: "2026-11-30T00:00" });
  await user.type(screen.getByLabelText("Through time"), "18:00");
  expect(rule().window?.to).toBe("2026-11-29T18:01");
});

test("weekdays stand in the order of the week, and the whole part can be taken out", async () => {
  const { user, rule } = editor(WhenControl);
  await user.click(screen.getByText(/weekdays and hours/));
  for (const day of ["Sun", "Mon", "Fri"]) await user.click(screen.getByLabelText(day));
  await user.type(screen.getByLabelText("Hours from"), "18:00");
  await user.type(screen.getByLabelText("Hours to"), "22:00");
  expect(rule().window).toEqual({ days: ["mon", "fri", "sun"], hours: ["18:00", "22:00"] });
  await user.click(screen.getByLabelText("Every day and hour"));
  expect(rule().window).toBeUndefined();
});

test("a weekly span and a yearly one", async () => {
  const { user, rule } = editor(WhenControl);
  await user.click(screen.getByText(/weekly span/));
  await user.selectOptions(screen.getByLabelText("Week to, day"), "Sun");
  const time = screen.getByLabelText("Week to, time");
  await user.clear(time);
  await user.type(time, "20:00");
  await user.click(screen.getByText(/yearly span/));
  await user.type(screen.getByLabelText("Year from"), "12-27");
  await user.type(screen.getByLabelText("Year through"), "1 jan");
  expect(rule().window).toEqual({
    weekly: { from: "fri 18:00", to: "sun 20:00" },
    yearly: { from: "12-27", to: "01-02" },
  });
});

test("a campaign is chosen by its name", async () => {
  const { user, rule } = editor(WhenControl);
  await user.selectOptions(await screen.findByLabelText("Campaign"), await screen.findByText("Dark days"));
  expect(rule().campaign).toBe("dark");
});

test("for whom: groups and customers by the names that people know", async () => {
  const { user, rule } = editor(WhoControl);
  expect(screen.getByRole("button", { name: "Group: everyone" })).toBeTruthy();
  await user.click(screen.getByRole("button", { name: "Group: everyone" }));
  await user.click(await screen.findByRole("option", { name: /Trade & “friends”/ }));
  await user.click(await screen.findByRole("option", { name: /<Schools>/ }));
  await user.keyboard("{Escape}");
  expect(rule().audience).toEqual({ groups: ["trade", "school"] });
  expect(screen.getByRole("button", { name: "Group: Trade & “friends”, <Schools>" })).toBeTruthy();
});

test("these channels only, and none of them yet", async () => {
  const { user, rule } = editor(WhoControl);
  await user.selectOptions(screen.getByLabelText("In which channels"), "these channels only");
  await user.click(await screen.findByLabelText("shop on the quay"));
  expect(rule().channels).toEqual(["quay"]);
  await user.selectOptions(screen.getByLabelText("In which channels"), "every channel");
  expect(rule().channels).toBeUndefined();
});

test("the source of a derived price is found by its name, or typed as its SKU", async () => {
  const { user, rule } = editor(
    ({ form, change }) => (
      <EffectControl effect={form.effect} bad={undefined} onChange={(effect) => change({ effect })} />
    ),
    {},
    {
      "GET /api/board": ({ query }: Asked) =>
        (query.get("q") ?? "").includes("kiln")
          ? { body: { rows: [{ sku: "K & 1", name: "Table <kiln>" }], total: 1 } }
          : { body: { rows: [], total: 0 } },
    },
  );
  await user.selectOptions(screen.getByLabelText("Effect"), "% of another price");
  await user.type(screen.getByLabelText("How much"), "10");
  const source = screen.getByLabelText("Source of the derived price");
  await user.type(source, "kiln");
  await user.click(await screen.findByRole("option", { name: /Table <kiln>/ }));
  expect(rule().effect).toEqual({ derive: { from: "K & 1", percent: "10" } });
  await user.clear(source);
  await user.type(source, "BASK{Enter}");
  expect(rule().effect).toEqual({ derive: { from: "basket", percent: "10" } });
  await user.clear(source);
  await user.type(source, "T-1");
  expect(await screen.findByText("Nothing by that name.")).toBeTruthy();
  expect(rule().effect).toEqual({ derive: { from: "T-1", percent: "10" } });
});

test("narrowed by order, country and the customer's attribute, and widened again", async () => {
  const { user, rule } = editor(WhoControl);
  await user.click(screen.getByText(/first order, country/));
  await user.selectOptions(screen.getByLabelText("First order"), "only if");
  await user.selectOptions(screen.getByLabelText("Signed in"), "only if not");
  await user.type(screen.getByLabelText("Countries"), "NL, BE");
  await user.type(screen.getByLabelText("Attribute of the customer"), "region");
  await user.type(screen.getByLabelText("Values of the customer's attribute"), "north, =east");
  expect(rule().audience).toEqual({
    firstOrder: true,
    signedIn: false,
    countries: ["NL", "BE"],
    customerAttr: { region: ["north", "=east"] },
  });
  await user.click(screen.getByLabelText("Do not narrow further"));
  expect(rule().audience).toBeUndefined();
});

test("breaks are added, changed and taken out; what they count is said", async () => {
  const { user, rule } = editor(BreaksControl, { how: "breaks", breaks: [] });
  await user.click(screen.getByText(/a break/));
  await user.click(screen.getByText(/a break/));
  expect(screen.getByLabelText("Break 2 from")).toHaveProperty("value", "12");
  await user.type(screen.getByLabelText("How much of break 1"), "5");
  await user.type(screen.getByLabelText("How much of break 2"), "1.25");
  await user.selectOptions(screen.getByLabelText("Effect of break 2"), "off each");
  await user.selectOptions(screen.getByLabelText("Method"), "prices the pieces from there on");
  expect(rule()).toMatchObject({
    breaks: [
      { from: 6, percentOff: "5" },
      { from: 12, amountOff: "1.25" },
    ],
    method: "graduated",
  });
  await user.click(screen.getByLabelText("Take break 1 out"));
  expect(rule().breaks).toEqual([{ from: 12, amountOff: "1.25" }]);
});

/** The builder of selections; where() is what would be saved. */
function builder(more: Record<string, object> = {}) {
  const asked = program({ ...answers, ...more });
  let form: Form = { ...emptyForm("sale", 3), code: "R" };
  function Held() {
    const [f, set] = useState(form);
    form = f;
    return <SelectionBuilder selection={f.selection} onChange={(selection) => set((old) => ({ ...old, selection }))} />;
  }
  return {
    ...page(<Held />),
    asked,
    where: () => writeForm(form).where,
    open: () => unfinished(form.selection.root),
  };
}

test("a selection of conditions, turned round and in a group of its own", async () => {
  const { user, where } = builder();
  await user.click(screen.getByLabelText("Add brand"));
  await user.click(await screen.findByRole("button", { name: /^Brand: / }));
  await user.click(await screen.findByRole("option", { name: /Fernhask & “Sons”/ }));
  await user.keyboard("{Escape}");
  await user.click(screen.getByLabelText("Add list price"));
  await user.type(screen.getByLabelText("List price from"), "10");
  const lines = screen.getAllByLabelText("Is or is not");
  await user.selectOptions(lines[0] as HTMLElement, "is not");
  expect(where()).toEqual({ all: [{ not: { brand: "Fernhask & “Sons”" } }, { list: { min: "10" } }] });
  await user.selectOptions(screen.getByLabelText("All or any"), "any of");
  expect(where()).toHaveProperty("any");
  await user.click(screen.getByLabelText("Remove the brand condition"));
  expect(where()).toEqual({ list: { min: "10" } });
});

test("every product is chosen on purpose, and letting go of it brings the conditions back", async () => {
  const { user, where } = builder();
  await user.click(screen.getByLabelText("Add list price"));
  await user.type(screen.getByLabelText("List price to"), "8");
  const everything = screen.getByLabelText("every product in the book");
  await user.click(everything);
  expect(where()).toEqual({ all: [] });
  await user.click(everything);
  expect(where()).toEqual({ list: { max: "8" } });
});

test("pasted SKUs are read by the program, and those it does not know are named", async () => {
  const { user, where, asked } = builder({ "POST /api/sku-list": { known: ["A&B"], unknown: ["=1+1"] } });
  await user.click(screen.getByLabelText("Add SKUs"));
  await user.click(screen.getByLabelText("SKUs"));
  await user.paste("A&B\n=1+1");
  expect(await screen.findByText(/Not in the book: =1\+1/)).toBeTruthy();
  expect(asked.map((a) => a.body)).toContainEqual({ text: "A&B\n=1+1" });
  await waitFor(() => expect(where()).toEqual({ sku: ["A&B", "=1+1"] }));
  expect(screen.getByTestId("sku-count").textContent).toBe("1 known, 1 unknown");
});

test("SKUs that are typed without pauses: a late answer to an earlier text changes nothing", async () => {
  const waiting = new Map<string, (a: object) => void>();
  const { user, where, open } = builder({
    "POST /api/sku-list": ({ body }: { body: unknown }) =>
      new Promise((answer) => waiting.set((body as { text: string }).text, answer)),
  });
  await user.click(screen.getByLabelText("Add SKUs"));
  await user.type(screen.getByLabelText("SKUs"), "T-1");
  await waitFor(() => expect([...waiting.keys()]).toEqual(["T", "T-", "T-1"]));
  expect(open()).toMatch(/not read yet/); // so that nobody saves the ones before
  waiting.get("T-1")?.({ body: { known: ["T-1"], unknown: [] } });
  await waitFor(() => expect(where()).toEqual({ sku: "T-1" }));
  expect(open()).toBe("");
  await user.selectOptions(screen.getByLabelText("Is or is not"), "is not");
  waiting.get("T")?.({ body: { known: [], unknown: ["T"] } });
  waiting.get("T-")?.({ body: { known: [], unknown: ["T-"] } });
  await new Promise((settled) => setTimeout(settled, 50));
  expect(where()).toEqual({ not: { sku: "T-1" } });
});
