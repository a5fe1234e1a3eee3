// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { administrator, shopState } from "../../testing/shop";
import { Connection } from "./Connection";

const kept = {
  channel: "web",
  kind: "http",
  address: "https://shop.example/a&b",
  token: true,
  sends: "by-hand",
  approval: { overPercent: "7.5" },
  giveUpAfter: "30m",
  compare: "1h",
  reference: "rrp",
};
const put = "PUT /api/links/web";

let now: object[];

async function form(more: Parameters<typeof program>[0] = {}, links: object[] = [kept]) {
  now = links;
  const asked = program({
    "GET /api/session": administrator,
    "GET /api/state": shopState,
    "GET /api/links": () => ({ body: { links: now } }),
    ...more,
  });
  const drawn = page(<Connection channel="web" name="web & <shop>" />, "/publish?channel=web&tab=link");
  await screen.findByText(/^Try it$|^Administrators connect/);
  await waitFor(() => expect(drawn.client.isFetching()).toBe(0));
  return {
    ...drawn,
    asked,
    become: async (next: object[]) => {
      now = next;
      await drawn.client.invalidateQueries({ queryKey: ["links"] });
    },
    sent: (method: string) => asked.filter((a) => a.method === method).map((a) => a.body),
  };
}
const field = (label: string) => screen.getByLabelText<HTMLInputElement>(label);
const button = (name: string) => screen.getByRole("button", { name });

test("a connection is shown as it is kept, its token not at all", async () => {
  await form();
  expect(["It is reached", "Address", "A second person agrees", "Percent"].map((l) => field(l).value)).toEqual([
    "http",
    "https://shop.example/a&b",
    "over",
    "7.5",
  ]);
  expect(screen.queryByLabelText("Token")).toBeNull();
  expect(screen.getByText(/one is kept/)).toBeTruthy();
});

test("only what such a connection has is sent, and it is said that it is kept", async () => {
  const keeps = () => {
    now = [{ ...kept, kind: "folder", address: "/srv/tills/été & co", token: false }];
    return { body: {} };
  };
  const { user, sent } = await form({ [put]: keeps }, []);
  await user.selectOptions(field("It is reached"), "through a folder: files are laid down for it");
  await user.type(field("Folder"), "/srv/tills/été & co");
  await user.selectOptions(field("A second person agrees"), "always");
  await user.click(button("Connect the web & <shop>"));
  expect(await screen.findByText("Kept.")).toBeTruthy();
  expect(await screen.findByRole("button", { name: "Keep it" })).toBeTruthy();
  expect(screen.getByText("Kept."), "it stays to be read").toBeTruthy();
  expect(sent("PUT")).toEqual([
    {
      kind: "folder",
      address: "/srv/tills/été & co",
      sends: "by-hand",
      approval: "always",
      giveUpAfter: "30m",
      compare: "off",
      reference: "lowest30",
    },
  ]);
});

test("a token that is kept is kept on, another one is sent once it is written", async () => {
  const { user, sent } = await form({ [put]: {} });
  await user.click(button("Keep it"));
  await screen.findByText("Kept.");
  await user.click(button("Write another"));
  await user.type(field("Token"), "s3cret<");
  await user.click(button("Keep it"));
  await waitFor(() => expect(sent("PUT")).toHaveLength(2));
  expect(sent("PUT").map((b) => (b as { token?: string }).token)).toEqual([undefined, "s3cret<"]);
  expect(await screen.findByText(/one is kept/)).toBeTruthy();
});

test("what is wrong is said at its field, and what was written stays", async () => {
  const wrong = problem(422, "a number of percent, such as 10", {
    errors: [{ location: "approval.overPercent", message: "a number of percent, such as 10" }],
  });
  const { user } = await form({ [put]: () => wrong });
  await user.clear(field("Percent"));
  await user.type(field("Percent"), "ten");
  await user.click(button("Keep it"));
  const said = await screen.findByText(/such as 10$/);
  expect(said.closest("div")?.contains(field("Percent"))).toBe(true);
  expect(field("Percent").value).toBe("ten");
});

test("trying asks with what is written, and keeps nothing", async () => {
  const { user, sent } = await form({ "POST /api/links/web/try": { works: false, problem: "it says: who are you?" } });
  await user.clear(field("Address"));
  await user.type(field("Address"), "http://127.0.0.1:1/");
  await user.click(button("Try it"));
  expect(await screen.findByText("it says: who are you?")).toBeTruthy();
  expect(sent("POST")).toMatchObject([{ address: "http://127.0.0.1:1/" }]);
  await user.type(field("Address"), "x");
  expect(screen.queryByText("it says: who are you?"), "that was about another address").toBeNull();
  expect(sent("PUT")).toEqual([]);
});

test("what somebody else kept meanwhile is not written over unseen", async () => {
  const { user, become, sent } = await form({ [put]: {} });
  await user.clear(field("Address"));
  await user.type(field("Address"), "https://mine.example/");
  await become([{ ...kept, address: "https://theirs.example/" }]);
  const note = await screen.findByRole("alert");
  expect(note.textContent).toContain("https://theirs.example/");
  expect(field("Address").value).toBe("https://mine.example/");
  await user.click(within(note).getByText("Take theirs"));
  expect(field("Address").value).toBe("https://theirs.example/");
  await user.click(button("Keep it"));
  await waitFor(() => expect(sent("PUT")).toMatchObject([{ address: "https://theirs.example/" }]));
});

test("what nobody wrote in follows what is kept", async () => {
  const { become } = await form();
  await become([{ ...kept, address: "https://theirs.example/" }]);
  await waitFor(() => expect(field("Address").value).toBe("https://theirs.example/"));
  expect(screen.queryByRole("alert")).toBeNull();
});

test("disconnecting asks first", async () => {
  const { user, sent } = await form({ "DELETE /api/links/web": {} });
  await user.click(button("Disconnect it"));
  await user.click(within(await screen.findByRole("alertdialog")).getByRole("button", { name: "Keep it" }));
  expect(sent("DELETE")).toEqual([]);
  await user.click(button("Disconnect it"));
  await user.click(within(await screen.findByRole("alertdialog")).getByRole("button", { name: "Disconnect it" }));
  await waitFor(() => expect(sent("DELETE")).toHaveLength(1));
});

test("who is no administrator reads it and changes nothing", async () => {
  await form({ "GET /api/session": { ...administrator, role: "manager" } });
  expect(await screen.findByText("Administrators connect channels.")).toBeTruthy();
  expect(screen.getByRole("group")).toHaveProperty("disabled", true);
  expect(screen.queryByRole("button", { name: "Keep it" })).toBeNull();
});
