// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, test } from "vitest";
import { page } from "../testing/page";
import { program } from "../testing/server";
import { HireHours, type HireTimes } from "./hire-hours";

let said: HireTimes | undefined;
const tell = (value: HireTimes | undefined) => {
  said = value;
};

function Field({ first, above }: { first: HireTimes | undefined; above?: string }) {
  const [value, setValue] = useState(first);
  return <HireHours value={value} {...(above !== undefined && { above })} onChange={(v) => (setValue(v), tell(v))} />;
}

test("hours are its own, nobody's, or those from above", async () => {
  program({});
  page(<Field first={undefined} above="its channel says" />);
  const how = await screen.findByLabelText("Free days of a hire");
  await userEvent.selectOptions(how, "own");
  expect(said).toEqual({ freeFirstDayFrom: "17:30", freeLastDayUntil: "09:30" });
  const from = screen.getByLabelText("Day of collection free from");
  await userEvent.clear(screen.getByLabelText("Day of return free until"));
  await userEvent.clear(from);
  // Both are empty now, and can still be written.
  await userEvent.type(from, "18:00");
  expect(said).toEqual({ freeFirstDayFrom: "18:00" });
  await userEvent.selectOptions(how, "none");
  expect(said).toEqual({});
  await userEvent.selectOptions(how, "above");
  expect(said).toBeUndefined();
});

test("where nothing is above, there is one way to say that no day is free", async () => {
  program({});
  page(<Field first={{}} />);
  const how = await screen.findByLabelText<HTMLSelectElement>("Free days of a hire");
  expect([...how.options].map((o) => o.text)).toEqual(["no day is free", "days are free by these hours:"]);
  expect(how.value).toBe("above");
});
