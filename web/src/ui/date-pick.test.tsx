// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { page } from "../testing/page";
import { DatePick } from "./date-pick";

function Field({ start }: { start: string }) {
  const [day, setDay] = useState(start);
  return (
    <>
      <input aria-label="From date" value={day} onChange={(e) => setDay(e.target.value)} />
      <DatePick label="from" value={day} now="2026-11-26T09:00" onPick={setDay} />
    </>
  );
}

const open = async (start: string) => {
  const { user } = page(<Field start={start} />);
  await user.click(screen.getByLabelText("Pick the day of from"));
  return { user, days: await screen.findByRole("dialog", { name: "Days for from" }) };
};
const field = () => screen.getByLabelText<HTMLInputElement>("From date").value;

test("it opens at the date that is typed, and a day that is picked is typed", async () => {
  const { user, days } = await open("2027-02-03");
  expect(within(days).getByText("February 2027")).toBeTruthy();
  await user.click(within(days).getByRole("button", { name: /February 28th, 2027/ }));
  expect(field()).toBe("2027-02-28");
  expect(screen.queryByRole("dialog")).toBeNull();
});

test.each(["", "next week", "2026-13-40"])("over %o it opens at the present of the book", async (typed) => {
  const { days } = await open(typed);
  expect(within(days).getByText("November 2026")).toBeTruthy();
  expect(within(days).getByRole("button", { name: /Today, Thursday, November 26th/ })).toBeTruthy();
  expect(field()).toBe(typed);
});

test("weeks begin on Monday and carry their number (ISO 8601)", async () => {
  const { days } = await open("2026-12-31");
  const heads = within(days)
    .getAllByRole("columnheader", { hidden: true })
    .map((h) => h.textContent);
  expect(heads.filter(Boolean)).toEqual(["Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"]);
  // 2026 has a week 53: its 1 January is a Thursday.
  expect(within(days).getByRole("rowheader", { name: /53/ })).toBeTruthy();
});

test("by keys: from the chosen day on, Escape leaves what was typed", async () => {
  const { user } = await open("2026-11-27");
  await user.keyboard("{ArrowRight}{Enter}");
  expect(field()).toBe("2026-11-28");
  await user.click(screen.getByLabelText("Pick the day of from"));
  await user.keyboard("{ArrowDown}{Escape}");
  expect(field()).toBe("2026-11-28");
});
