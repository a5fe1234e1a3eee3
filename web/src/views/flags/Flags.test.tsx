// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Flag, FlagEntry } from "../../api/client";
import { page } from "../../testing/page";
import { problem, program, type Asked } from "../../testing/server";
import { customers, groups, shopState } from "../../testing/shop";
import { Flags } from "./Flags";

const witness = { at: "2026-11-27T09:00", sku: "=A&B", quantity: 12, groups: ["trade"] };
const flag = (parts: Partial<Flag>): Flag => ({
  kind: "below-cost",
  severity: "error",
  sku: "=A&B",
  channel: "web",
  currency: "EUR",
  price: "4.00",
  cost: "1250.5",
  left: "-0.50",
  cause: "A/B",
  witness: { ...witness, channel: parts.channel ?? "web" },
  ...parts,
});
const entry = (flags: Flag[], parts: Partial<FlagEntry> = {}): FlagEntry => {
  const [f] = flags;
  return {
    subject: `${f?.kind}\u001f${f?.sku ?? ""}\u001f${f?.rule ?? ""}`,
    kind: f?.kind ?? "",
    severity: f?.severity ?? "",
    currency: "EUR",
    flags,
    name: "Buff <clay> & “grog”",
    ...(f?.sku && { sku: f.sku }),
    ...(f?.cause && { cause: f.cause }),
    ...(f?.rules && { rules: f.rules }),
    ...parts,
  };
};

const list = (entries: FlagEntry[], more: object = {}) => ({
  groups: entries.map((e) => ({
    key: `${e.kind} ${e.cause ?? ""}`,
    kind: e.kind,
    severity: e.severity,
    count: 1,
    entries: [e],
    ...more,
  })),
  kinds: entries.map((e) => ({ kind: e.kind, count: 1 })),
  searching: false,
  present: false,
  left: 0,
  from: "2026-11-26T09:00",
  to: "2026-12-26T00:00",
  version: 3,
});

function view(answer: object, more: Parameters<typeof program>[0] = {}) {
  program({
    "GET /api/flags": answer,
    "GET /api/state": shopState,
    "GET /api/session": { name: "maren", fullName: "Maren", role: "manager", demo: [] },
    "GET /api/rules": { rules: [{ rule: { code: "A/B", name: "Quay & <clay>", layer: "sale" }, etag: "1" }] },
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
    "GET /api/items/campaigns": { items: [] },
    "GET /api/facets": { categories: ["Clay/Buff"] },
    ...more,
  });
  return page(<Flags />, "/flags?channel=quay");
}

test("a loss is told with the product's name, what it loses, by which rule, and a way to see it", async () => {
  view(
    list([
      entry([flag({}), flag({ channel: "quay", witness: { ...witness, quantity: 1, groups: [], channel: "quay" } })]),
    ]),
  );
  const loss = await screen.findByRole("region", { name: "Below cost" });
  expect(within(loss).getByRole("heading").textContent).toBe("Below cost 1");
  const line = within(loss).getByRole("listitem");
  expect(line.textContent).toContain(
    "Buff <clay> & “grog” =A&B sells at 4.00, it costs 1\u202f250.5: each sale loses 0.50 after tax and fees, made by",
  );
  const rule = await within(line).findByRole("link", { name: "Quay & <clay>" });
  expect(rule.getAttribute("href")).toBe("/stack/rule/A%2FB?channel=quay");
  await within(line).findByText(/web shop, Trade & “friends”, Fri 27 Nov 09:00, 12 pieces/);
  const [first, second] = within(line).getAllByRole("link", { name: "Show me" });
  const address = (link: HTMLElement | undefined) =>
    Object.fromEntries(new URL(link?.getAttribute("href") ?? "", "http://x").searchParams);
  expect(address(first)).toEqual({
    channel: "web",
    at: "2026-11-27T09:00",
    sku: "=A&B",
    trail: "open",
    q: "=A&B",
    who: "group:trade",
    quantity: "12",
  });
  expect(address(second)).not.toHaveProperty("quantity");
});

test("a list price that is too low is no rule's doing", async () => {
  const bare = flag({});
  delete bare.cause;
  view(list([entry([bare])]));
  expect((await screen.findByRole("region", { name: "Below cost" })).textContent).toContain(
    "without any rule: its list price is too low",
  );
});

test("the sum of a loss adds up for a reader, and a loss of less than the smallest coin is none of 0.00", async () => {
  const sum = { net: "3030.99", fee: "333.66", cost: "2915.00", amount: "-217.67", percent: "-7.18" };
  view(list([entry([flag({ price: "3667.50", cost: "3527.15", left: "-217.67" })], { sum })]));
  expect((await screen.findByRole("region", { name: "Below cost" })).textContent).toContain(
    "sells at 3\u202f667.50 (3\u202f030.99 without tax), the channel keeps 333.66, it costs 2\u202f915.00: each sale loses 217.67, made by",
  );
  view(list([entry([flag({ left: "0.00" })])]));
  expect((await screen.findByRole("region", { name: "Below cost" })).textContent).toContain(
    "each sale loses less than 0.01",
  );
});

test("those that follow the first are fetched when they are wanted", async () => {
  const first = list([entry([flag({})])], { count: 3 });
  const then = list([entry([flag({ sku: "B" })])], { count: 3 });
  const last = list([entry([flag({ sku: "C" })])], { count: 3 });
  const { user } = view(({ query }: Asked) => {
    const skip = query.get("skip");
    return { body: skip === null ? first : skip === "1" ? then : last };
  });
  const loss = await screen.findByRole("region", { name: "Below cost" });
  expect(within(loss).queryByRole("listitem")).toBeNull(); // one cause is one line until it is opened
  await user.click(within(loss).getByRole("button", { name: "Show them" }));
  expect(loss.textContent).toContain("The 1 with most at stake of 3.");
  await user.click(within(loss).getByRole("button", { name: "Show more" }));
  await within(loss).findByText(/The 2 with most/);
  await user.click(within(loss).getByRole("button", { name: "Show more" }));
  await waitFor(() => expect(within(loss).getAllByRole("listitem")).toHaveLength(3));
  expect(within(loss).queryByRole("button", { name: "Show more" })).toBeNull();
});

test("a kind that this page has no words for is told by its code", async () => {
  view(list([entry([flag({ kind: "something-new" })])]));
  expect((await screen.findByRole("region", { name: "something-new" })).textContent).toContain("something-new");
});

test("what would mend it is told with what it does to the flags, and done in one step", async () => {
  const { user } = view(list([entry([flag({})])]), {
    "GET /api/flags/fixes": {
      fixes: [
        {
          title: "Let “Quay & <clay>” not reduce below the cost",
          changes: [{ kind: "rules", code: "A/B", etag: "1", doc: {} }],
          told: true,
          clears: true,
          cleared: 3,
          raised: 1,
        },
      ],
    },
    "POST /api/edit": { version: 2, entry: 7, summary: "Done" },
  });
  await user.click(await screen.findByRole("button", { name: "Mend it" }));
  const fixes = await screen.findByTestId("fixes");
  await within(fixes).findByText(/clears it/);
  expect(fixes.textContent).toContain("clears it and 2 more, raises 1 other");
  await user.click(within(fixes).getByRole("button", { name: /^Do it/ }));
  await screen.findByText("Done");
  // It is off the list before the new book was looked at.
  expect(screen.queryByRole("button", { name: "Mend it" })).toBeNull();
});

test("no trouble is said, but not while it is still looked for", async () => {
  view(list([]));
  expect(await screen.findByText("No trouble found")).toBeTruthy();
  view({ ...list([]), searching: true });
  expect(await screen.findByText("Looking at the newest change …")).toBeTruthy();
});

test("what cannot be had says why", async () => {
  view(() => problem(503, "The database is away since 09:00."));
  expect(await screen.findByText("The database is away since 09:00.")).toBeTruthy();
});

test("while the present is still looked at, it says how many products are to go", async () => {
  view({ ...list([entry([flag({})])]), searching: true, present: true, left: 120 });
  await screen.findByText("Looking at the present moment, the worst first: 120 products to go …");
});

test("a channel that shows other prices than it took is a flag, with the way to them", async () => {
  view(list([]), {
    "GET /api/state": {
      ...shopState,
      channels: [
        { code: "a/b", name: "Shop & <co>", drifting: 3 },
        { code: "web", name: "web", drifting: 0 },
      ],
    },
  });
  const link = await screen.findByRole("link", { name: "Shop & <co>" });
  expect(link.getAttribute("href")).toBe("/publish?channel=a%2Fb&tab=shows");
  expect(link.closest("li")?.textContent).toBe("Shop & <co> shows 3 prices otherwise than it took");
  expect(screen.queryByText("No trouble found")).toBeNull();
});

test("all of one cause are lived with in one step, and the list is headed by what the header counts", async () => {
  const many = list([entry([flag({})])], { count: 207, cause: "A/B" });
  const note = list([entry([flag({ kind: "reduced-twice", severity: "note", sku: "B" })])]);
  const asked: unknown[] = [];
  const { user } = view(
    { ...many, groups: [...many.groups, ...note.groups] },
    {
      "POST /api/flags/acknowledge": ({ body }: Asked) => {
        asked.push(body);
        return { status: 204, body: null };
      },
    },
  );
  expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe("1 trouble, 208 flags");
  const loss = await screen.findByRole("region", { name: "Below cost, Quay & <clay>" });
  await user.click(within(loss).getByRole("button", { name: "Live with all" }));
  await user.type(within(loss).getByLabelText("Why it may stay"), "A gift & <more>");
  await user.clear(within(loss).getByLabelText("Until which day"));
  await user.type(within(loss).getByLabelText("Until which day"), "24 dec");
  await user.click(within(loss).getByRole("button", { name: "Live with all of them" }));
  await waitFor(() =>
    expect(asked).toMatchObject([
      {
        all: { key: "below-cost A/B", count: 207, channel: "", q: "" },
        reason: "A gift & <more>",
        until: "2026-12-24",
      },
    ]),
  );
});

test("a rule that opens beyond the weeks looked at opens later, not never", async () => {
  const shut = entry([flag({ kind: "never-open", severity: "warning", rule: "A/B", sku: undefined })], {
    subject: "never-open A/B",
    rule: "A/B",
  });
  const rules = (part: object) => ({
    "GET /api/rules": { rules: [{ rule: { code: "A/B", name: "Spring", layer: "sale" }, etag: "1", ...part }] },
  });
  view(list([shut]), rules({ state: "opens", next: "2027-04-01T00:00" }));
  expect(await screen.findByText(/later than the weeks looked at, Thu 1 Apr 2027/)).toBeTruthy();
  view(list([shut]), rules({ state: "never" }));
  expect(await screen.findByText(/at no moment: its times do not meet/)).toBeTruthy();
});
