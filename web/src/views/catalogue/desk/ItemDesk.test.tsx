// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Item } from "../../../api/client";
import { page } from "../../../testing/page";
import { problem, program, type Asked } from "../../../testing/server";
import { customers, groups, shopState } from "../../../testing/shop";
import { ItemDesk, type FormProps } from "./ItemDesk";

const item = (code: string, name: string, etag = "1"): Item => ({
  code,
  name,
  doc: { code, name, note: "n" } as Item["doc"], // the desk itself looks at no key
  etag,
  uses: [],
});
const quiet = { at: shopState.now, checks: [], errors: [], prices: [] };

/** A form with one field beside the name. */
const NoteForm = ({ doc, set, errorAt }: FormProps) => (
  <>
    <input
      aria-label="Note"
      value={(doc as { note?: string }).note ?? ""}
      onChange={(e) => set({ note: e.target.value })}
    />
    <span data-testid="wrong">{errorAt("note")}</span>
  </>
);

function desk(items: Item[], more: Parameters<typeof program>[0] = {}, address = "/catalogue/groups") {
  const kept = { list: items };
  const asked = program({
    "GET /api/state": shopState,
    "GET /api/session": { name: "maren", role: "manager", demo: [] },
    "GET /api/items/ranges": () => ({ body: { items: kept.list } }),
    "GET /api/items/groups": groups,
    "GET /api/items/customers": customers,
    "POST /api/edit/preview": quiet,
    ...more,
  });
  const drawn = page(
    <ItemDesk
      kind="ranges"
      one="range"
      blank={{ note: "" }}
      form={NoteForm}
      covers={["note"]}
      about={(i) => `range ${i.code}`}
      teach="Ranges are lists of goods."
    />,
    address,
  );
  const edits = () =>
    asked.filter((a) => a.path === "/api/edit").map((a) => (a.body as { changes: unknown[] }).changes[0]);
  return { ...drawn, edits, kept };
}

test("none yet: why, and the first one is made under a code of its own name", async () => {
  const { user, edits, kept } = desk([], {
    "POST /api/edit": (a: Asked) => {
      kept.list = [item("winter-white", "Winter & <white>", "2")];
      return { body: { entry: 2, summary: `Made ${JSON.stringify(a.body).length}` } };
    },
  });
  expect(await screen.findByText("There is no range yet")).toBeTruthy();
  expect(screen.getByText("Ranges are lists of goods.")).toBeTruthy();
  await user.click(await screen.findByText("New range"));
  await user.click(screen.getByText("Make the range"));
  expect(screen.getByText("Give the range a name.")).toBeTruthy();
  await user.type(screen.getByLabelText("Name"), "Winter & <white>");
  await user.type(screen.getByLabelText("Note"), "x");
  await user.click(screen.getByText("Make the range"));
  await waitFor(() => expect(edits()).toHaveLength(1));
  expect(edits()[0]).toEqual({
    kind: "ranges",
    code: "winter-white",
    doc: { code: "winter-white", name: "Winter & <white>", note: "x" },
  });
  expect(await screen.findByText("range winter-white")).toBeTruthy();
  expect(screen.getByLabelText("Name")).toHaveProperty("value", "Winter & <white>");
});

test("it is found by name and by code", async () => {
  const { user } = desk([item("a1", "Winter"), item("b2", "Sommer “blau”")]);
  await user.type(await screen.findByLabelText("Find a range"), "BLAU");
  expect(screen.queryByText("Winter")).toBeNull();
  await user.clear(screen.getByLabelText("Find a range"));
  await user.type(screen.getByLabelText("Find a range"), "a1");
  expect(screen.getByText("Winter")).toBeTruthy();
  await user.type(screen.getByLabelText("Find a range"), "zzz");
  expect(screen.getByText("Nothing by that name.")).toBeTruthy();
});

const open = "/catalogue/ranges?item=a1";
const stale = {
  "POST /api/edit": () => problem(412, "It was changed.", { now: { code: "a1", name: "Theirs", note: "t" } }),
};

test("two who change one range: theirs can be taken", async () => {
  const { user, kept } = desk([item("a1", "Winter")], stale, open);
  await user.type(await screen.findByLabelText("Note"), " mine");
  kept.list = [{ ...item("a1", "Theirs", "2"), doc: { code: "a1", name: "Theirs", note: "t" } as Item["doc"] }];
  await user.click(screen.getByText("Save the change"));
  expect((await screen.findByRole("alert")).textContent).toContain("Somebody saved another state of this range");
  await user.click(screen.getByText("Take theirs"));
  await waitFor(() => expect(screen.getByLabelText("Note")).toHaveProperty("value", "t"));
  expect(screen.getByText("Save the change")).toHaveProperty("disabled", true);
});

test("two who change one range: one's own is kept over the state of the other", async () => {
  let refuse = true;
  const { user, kept, edits } = desk(
    [item("a1", "Winter")],
    { "POST /api/edit": () => (refuse ? stale["POST /api/edit"]() : { body: { entry: 3, summary: "Changed it" } }) },
    open,
  );
  await user.type(await screen.findByLabelText("Note"), " mine");
  kept.list = [item("a1", "Theirs", "2")];
  await user.click(screen.getByText("Save the change"));
  await user.click(await screen.findByText("Keep mine, then save"));
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
  refuse = false;
  await user.click(screen.getByText("Save the change"));
  await waitFor(() => expect(edits()).toHaveLength(2));
  expect(edits()[1]).toMatchObject({ etag: "2", doc: { note: "n mine" } });
});

test("what the preview finds wrong stands beside its field once it was tried, and nothing is sent", async () => {
  const { user, edits } = desk(
    [item("a1", "Winter")],
    { "POST /api/edit/preview": { ...quiet, errors: [{ path: "note", problem: "is too odd" }] } },
    open,
  );
  await user.type(await screen.findByLabelText("Note"), "!");
  expect(screen.getByTestId("wrong").textContent).toBe("");
  await waitFor(async () => {
    await user.click(screen.getByText("Save the change"));
    expect(screen.getByTestId("wrong").textContent).toBe("is too odd.");
  });
  expect(edits()).toHaveLength(0);
});

test("a range that is in use is not deleted, and the error says where", async () => {
  const { user } = desk(
    [{ ...item("a1", "Winter"), uses: ["R"] }],
    {
      "POST /api/edit": () =>
        problem(422, "Unfit.", { errors: [{ location: "rules[R].where", message: "there is no range a1" }] }),
    },
    open,
  );
  await user.click(await screen.findByText("Delete the range"));
  expect(await screen.findByText(/there is no range a1/)).toBeTruthy();
  expect(screen.getByLabelText("Name")).toHaveProperty("value", "Winter");
});
