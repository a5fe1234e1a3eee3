// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState, type ReactNode } from "react";
import { expect, test } from "vitest";
import { page } from "../testing/page";
import { Blank } from "./blanks";
import { CommaBlank } from "./comma-blank";
import { DayBlank, DurationBlank, TimeBlank, YearDayBlank } from "./time-blanks";

/** A field that keeps what it is given, as a form does. */
function held(draw: (value: string, set: (v: string) => void) => ReactNode, start = "") {
  let kept = start;
  function Held() {
    const [value, set] = useState(start);
    kept = value;
    return draw(value, set);
  }
  return { ...page(<Held />), kept: () => kept };
}
const field = () => screen.getByLabelText<HTMLInputElement>("Field");

test("a number stands as it is typed, says what it is read as, and is shown plainly afterwards", async () => {
  const { user, kept } = held((v, set) => <Blank label="Field" inputMode="decimal" value={v} onChange={set} />);
  await user.type(field(), "1.234,50 €");
  expect(field().value).toBe("1.234,50 €");
  expect(kept()).toBe("1234.50");
  expect((await screen.findByRole("status")).textContent).toBe("= 1\u202f234.50");
  await user.tab();
  expect(field().value).toBe("1234.50");
  expect(screen.queryByRole("status")).toBeNull();
});

test("what may mean two numbers is asked; until then it is neither", async () => {
  const { user, kept } = held((v, set) => <Blank label="Field" inputMode="decimal" value={v} onChange={set} />);
  await user.type(field(), "1,234");
  expect(kept()).toBe("1,234");
  await user.click(await screen.findByRole("button", { name: "1.234" }));
  expect(kept()).toBe("1.234");
  expect(field().value).toBe("1.234");
});

test("what is no number stays, for the core to say what is wrong with it", async () => {
  const { user, kept } = held((v, set) => <Blank label="Field" inputMode="numeric" value={v} onChange={set} />);
  await user.type(field(), "all <of> them");
  await user.tab();
  expect(kept()).toBe("all <of> them");
  expect(field().value).toBe("all <of> them");
});

const now = "2026-11-26T09:00";

test("a day may bring its time where the field is timed, and may not where it is not", async () => {
  const times: (string | undefined)[] = [];
  const timed = held((v, set) => (
    <DayBlank timed label="Field" value={v} now={now} onChange={(d, at) => (set(d), times.push(at))} />
  ));
  await timed.user.type(field(), "mon 9:00");
  expect(timed.kept()).toBe("2026-11-30");
  expect(times.at(-1)).toBe("09:00");
  await timed.user.tab();
  expect(field().value).toBe("Mon 30 Nov");
  timed.away();
  const plain = held((v, set) => <DayBlank label="Field" value={v} now={now} onChange={(d) => set(d)} />);
  await plain.user.type(field(), "24 dec 9:00");
  expect(plain.kept()).toBe("24 dec 9:00"); // not read as the day alone: nothing is dropped without a word
});

test.each([
  ["a time", TimeBlank, "6 pm", "18:00", "18:00"],
  ["a length of time", DurationBlank, "90 min", "90m", "90m"],
  ["a day of the year", YearDayBlank, "1 mar", "03-01", "1 Mar"],
] as const)("%s", async (_, Control, typed, means, shown) => {
  const { user, kept } = held((v, set) => <Control label="Field" value={v} onChange={set} />);
  await user.type(field(), typed);
  expect(kept()).toBe(means);
  await user.tab();
  expect(field().value).toBe(shown);
});

test("the last day of a yearly span is that day, and the span ends after it", async () => {
  const { user, kept } = held((v, set) => <YearDayBlank last label="Field" value={v} onChange={set} />, "05-16");
  expect(field().value).toBe("15 May");
  await user.clear(field());
  await user.type(field(), "31 dec");
  expect(kept()).toBe("01-01");
});

test("several texts may hold commas, and what is typed stays while it is typed", async () => {
  const lists: string[][] = [];
  function Held() {
    const [items, set] = useState<string[]>(["dry, matte"]);
    return <CommaBlank label="Field" items={items} onChange={(next) => (set(next), lists.push(next))} />;
  }
  const { user } = page(<Held />);
  expect(field().value).toBe('"dry, matte"');
  await user.type(field(), ", new");
  expect(field().value).toBe('"dry, matte", new');
  expect(lists.at(-1)).toEqual(["dry, matte", "new"]);
});
