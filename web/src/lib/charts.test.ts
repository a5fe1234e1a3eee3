import { expect, test } from "vitest";
import { stepPath } from "./charts";

const y = (value: number) => 100 - value;

test("a value holds level, and the next begins upright beside it", () => {
  const path = stepPath(
    [
      { from: 0, to: 10, value: 40 },
      { from: 10, to: 30, value: 20 },
    ],
    y,
  );
  expect(path).toBe("M0,60L10,60L10,80L30,80");
});

test("where there is no value there is no line", () => {
  const path = stepPath(
    [
      { from: 0, to: 10, value: 40 },
      { from: 10, to: 20, value: NaN },
      { from: 20, to: 30, value: 20 },
    ],
    y,
  );
  expect(path).toBe("M0,60L10,60M20,80L30,80");
  expect(stepPath([], y)).toBe("");
});
