// @vitest-environment jsdom
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import { useKeys } from "./keys";

function View({ keys, children }: { keys: Record<string, () => void>; children?: React.ReactNode }) {
  useKeys(keys);
  return <main>{children}</main>;
}

test("Enter presses what has the focus; only elsewhere is it a shortcut of the view", async () => {
  const user = userEvent.setup();
  const view = vi.fn();
  const pressed = vi.fn();
  render(
    <View keys={{ enter: view }}>
      <button type="button" onClick={pressed}>
        Histograms
      </button>
      <div tabIndex={0} data-testid="rows" role="region" />
    </View>,
  );
  screen.getByText("Histograms").focus();
  await user.keyboard("{Enter}");
  expect([pressed.mock.calls.length, view.mock.calls.length]).toEqual([1, 0]);
  screen.getByTestId("rows").focus();
  await user.keyboard("{Enter}");
  expect(view).toHaveBeenCalledTimes(1);
});

test("what is typed is no shortcut, and beside a form only what is held with Ctrl is one", async () => {
  const user = userEvent.setup();
  const one = vi.fn();
  const two = vi.fn();
  const drawn = render(
    <View keys={{ n: one, "ctrl+k": two }}>
      <input aria-label="Search" />
    </View>,
  );
  await user.type(screen.getByLabelText("Search"), "nn");
  expect(one).not.toHaveBeenCalled();
  await user.keyboard("{Control>}k{/Control}");
  expect(two).toHaveBeenCalledTimes(1);
  drawn.rerender(
    <View keys={{ n: one, "ctrl+k": two }}>
      <form aria-label="Form" />
    </View>,
  );
  await user.keyboard("n{Control>}k{/Control}");
  expect(one).not.toHaveBeenCalled();
  expect(two).toHaveBeenCalledTimes(2);
});
