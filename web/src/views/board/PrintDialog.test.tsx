// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { noFilter } from "../../lib/address";
import { page } from "../../testing/page";
import { program } from "../../testing/server";
import { guest } from "../../testing/shop";
import { PrintDialog } from "./PrintDialog";

const filter = { ...noFilter, q: "clay & <grog>", show: "changed" as const };
const draw = (what: "labels" | "list", total = 3) => {
  program({});
  return page(<PrintDialog what={what} viewpoint={guest} filter={filter} total={total} onClose={vi.fn()} />);
};
const asked = () => new URL(screen.getByTitle<HTMLIFrameElement>("As it will be printed").src);

test("labels of what the board shows, on the sheet that is chosen, past those that are gone", async () => {
  const { user } = draw("labels");
  expect(asked().pathname).toBe("/api/labels");
  expect(asked().searchParams.get("q")).toBe("clay & <grog>");
  expect(asked().searchParams.get("show")).toBe("changed");
  await user.selectOptions(screen.getByLabelText("Labels"), "52x30");
  const gone = screen.getByLabelText("Gone from the first sheet");
  await user.clear(gone);
  await user.type(gone, "99");
  expect(asked().searchParams.get("sheet")).toBe("52x30");
  expect(asked().searchParams.get("skip")).toBe("39");
  const print = screen.getByText<HTMLAnchorElement>("Open to print");
  expect(new URL(print.href).search).toBe(asked().search);
});

test("a list has a title and a note of its own, typed without pauses", async () => {
  const { user } = draw("list");
  await user.type(screen.getByLabelText("Title"), "Autumn & <co> “50%”");
  await user.type(screen.getByLabelText("Note"), "a=1{enter}b");
  await waitFor(() => expect(asked().searchParams.get("note")).toBe("a=1\nb"));
  expect(asked().searchParams.get("title")).toBe("Autumn & <co> “50%”");
  expect(new URL(screen.getByText<HTMLAnchorElement>("Save as a spreadsheet").href).searchParams.get("format")).toBe(
    "xlsx",
  );
});

test("nothing, and too much, is not printed, and it says why", () => {
  draw("labels", 0);
  expect(screen.getByRole("alert").textContent).toBe("The board shows nothing.");
  expect(screen.queryByText("Open to print")).toBeNull();
  draw("list", 20_001);
  expect(screen.getByRole("alert").textContent).toMatch(/^At most 20\s000 are printed at once/);
});
