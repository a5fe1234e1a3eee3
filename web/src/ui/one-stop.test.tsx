// @vitest-environment jsdom
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useRef, useState } from "react";
import { beforeAll, expect, test } from "vitest";
import { useOneTabStop } from "./one-stop";

beforeAll(() => {
  Element.prototype.scrollIntoView = () => undefined;
});

function List({ first = ["A & <a>", "B", "C"] }) {
  const [rows, setRows] = useState(first);
  const list = useRef<HTMLUListElement>(null);
  useOneTabStop(list, "li");
  return (
    <>
      <button type="button" onClick={() => setRows((old) => old.slice(1))}>
        less
      </button>
      <ul ref={list}>
        {rows.map((r) => (
          <li key={r}>
            <input type="checkbox" aria-label={`choose ${r}`} />
            <a href={`#${r}`}>{r}</a>
            <button type="button" tabIndex={-1}>
              by key {r}
            </button>
            <span role="button" tabIndex={0}>
              drag {r}
            </span>
          </li>
        ))}
      </ul>
      <button type="button">after</button>
    </>
  );
}
const focused = () => document.activeElement?.getAttribute("aria-label") ?? document.activeElement?.textContent;

test("the list is one stop: the controls of one row, then what follows", async () => {
  const user = userEvent.setup();
  render(<List />);
  const way: (string | null | undefined)[] = [];
  for (let i = 0; i < 5; i++) {
    await user.tab();
    way.push(focused());
  }
  expect(way).toEqual(["less", "choose A & <a>", "A & <a>", "drag A & <a>", "after"]);
});

test("arrows go to the same control of another row, which is the stop from then on", async () => {
  const user = userEvent.setup();
  render(<List />);
  await user.click(screen.getByText("A & <a>"));
  await user.keyboard("{ArrowDown}{ArrowDown}");
  expect(focused()).toBe("C");
  await user.keyboard("{ArrowDown}");
  expect(focused()).toBe("C");
  await user.keyboard("{Home}{ArrowDown}");
  expect(focused()).toBe("B");
  await user.tab({ shift: true });
  expect(focused()).toBe("choose B");
  await user.tab({ shift: true });
  expect(focused()).toBe("less");
  await user.tab();
  expect(focused()).toBe("choose B");
});

test("a row that goes takes the stop along to the first; one that comes is none", async () => {
  const user = userEvent.setup();
  render(<List />);
  await user.click(screen.getByText("less"));
  await user.tab();
  expect(focused()).toBe("choose B");
  expect(screen.getByLabelText("choose C").getAttribute("tabindex")).toBe("-1");
});
