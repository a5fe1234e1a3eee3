// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { setWriting } from "../../lib/writing";
import { page } from "../../testing/page";
import { problem, program } from "../../testing/server";
import { AmountCell } from "./AmountCell";

const path = "PATCH /api/products/CLAY-1";
const saved = { entry: 3, summary: "List price of CLAY-1: 12.50" };

function Cell({ kept }: { kept: string | null }) {
  const [editing, setEditing] = useState(false);
  return (
    <>
      <AmountCell sku="CLAY-1" name="Buff" field="list" kept={kept} editing={editing} onEdit={setEditing} />
      <button>elsewhere</button>
    </>
  );
}

async function edit(typed: string, kept: string | null = "11.90") {
  const drawn = page(<Cell kept={kept} />);
  await drawn.user.click(screen.getByRole("button", { name: /List price of Buff/ }));
  await drawn.user.keyboard(typed);
  return drawn;
}
const field = () => screen.queryByLabelText("List price of Buff", { selector: "input" });

test("what is typed replaces what was there, and is saved over just that", async () => {
  const asked = program({ [path]: saved });
  await edit("12.50{Enter}");
  await waitFor(() => expect(field()).toBeNull());
  expect(asked[0]?.body).toEqual({ list: "12.50", was: "11.90" });
});

test("Escape leaves it, and unchanged it is not saved", async () => {
  const asked = program({});
  const { user } = await edit("12{Escape}");
  expect(field()).toBeNull();
  await user.click(screen.getByRole("button", { name: /List price of Buff/ }));
  await user.keyboard("11.90{Enter}");
  expect(field()).toBeNull();
  expect(asked).toHaveLength(0);
});

test("leaving the field saves", async () => {
  const asked = program({ [path]: saved });
  const { user } = await edit("13");
  await user.click(screen.getAllByText("elsewhere")[0] as HTMLElement);
  await waitFor(() => expect(field()).toBeNull());
  expect(asked[0]?.body).toEqual({ list: "13", was: "11.90" });
});

test("an empty field takes the amount away", async () => {
  const asked = program({ [path]: saved });
  await edit("{Backspace}{Enter}");
  await waitFor(() => expect(asked[0]?.body).toEqual({ list: "", was: "11.90" }));
});

test("what is refused stays in the field with what is wrong beside it", async () => {
  program({ [path]: () => problem(422, "“twelve” is not an amount.") });
  const { user } = await edit("twelve{Enter}");
  const alert = await screen.findByRole("alert");
  expect(alert.textContent).toContain("“twelve” is not an amount.");
  expect(field()).toHaveProperty("value", "twelve");
  expect(field()?.getAttribute("aria-describedby")).toBe(alert.id);
  await user.click(screen.getByText("elsewhere"));
  expect(field()).toHaveProperty("value", "twelve");
});

test("with a decimal comma the program still gets a plain decimal", async () => {
  const asked = program({ [path]: saved });
  setWriting({ numbers: "1.234,56", dates: "day", hours: 24 });
  try {
    await edit("12,5{Enter}", "1190.5");
    await waitFor(() => expect(asked[0]?.body).toEqual({ list: "12.5", was: "1190.5" }));
  } finally {
    setWriting({ numbers: "1 234.56", dates: "day", hours: 24 });
  }
});
