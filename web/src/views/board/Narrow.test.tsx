// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { BrowserRouter } from "react-router";
import { beforeEach, expect, test } from "vitest";
import { narrowing, noFilter, readFilter, tagsOf, tagsText } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { program } from "../../testing/server";
import { shopState } from "../../testing/shop";
import { Tips } from "../../ui/tip";
import { Narrow, useChips } from "./Narrow";

function Narrowed() {
  const { params, set } = useViewpoint();
  const filter = readFilter(params);
  return (
    <>
      <Narrow filter={filter} set={set} />
      {useChips(filter).map((c) => (
        <button key={c.keys[0]} onClick={() => set(Object.fromEntries(c.keys.map((k) => [k, null])))}>
          {c.words}
        </button>
      ))}
    </>
  );
}

/** The popover over a real address. */
async function narrowed(query = "") {
  program({
    "GET /api/state": shopState,
    "GET /api/rules": { rules: [{ rule: { code: "A/B", name: "Quay & <clay>", layer: "sale" }, etag: "1" }] },
    "GET /api/facets": { tags: ["daily, & more", "<heavy>"], liveTags: ["week-end"] },
  });
  window.history.replaceState(null, "", "/board" + query);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <BrowserRouter>
        <Tips>
          <Narrowed />
        </Tips>
      </BrowserRouter>
    </QueryClientProvider>,
  );
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: "+ narrow" }));
  return user;
}
const says = () => Object.fromEntries(new URLSearchParams(window.location.search));
const chips = () =>
  screen
    .getAllByRole("button", { hidden: true })
    .map((b) => b.textContent)
    .slice(1);

beforeEach(() => window.history.replaceState(null, "", "/"));

test("typed without pauses, every part is kept and said", async () => {
  const user = await narrowed("?channel=web&sort=margin");
  await user.type(screen.getByLabelText("Margin, to"), "12.5");
  await user.selectOptions(screen.getByLabelText("In which channel the margin is"), "in any channel");
  await user.type(screen.getByLabelText("Change, from"), "-5");
  await user.type(screen.getByLabelText("In stock, from"), "1");
  await user.type(screen.getByLabelText("In stock, to"), "20");
  await user.type(screen.getByLabelText("Units sold, to"), "0");
  await user.selectOptions(screen.getByLabelText("Rules"), "no rule selects it, now or later");
  await user.type(screen.getByLabelText("Only the first"), "20");
  await user.tab();
  expect(says()).toEqual({
    channel: "web",
    sort: "margin",
    margin: ":12.5",
    "margin-in": "any",
    change: "-5:",
    stock: "1:20",
    sold: ":0",
    reach: "unselected",
    rows: "20",
  });
  expect(chips()).toEqual(
    expect.arrayContaining([
      "margin below 12.5 % in any channel",
      "change from −5 %",
      "1 to 20 in stock",
      "up to 0 sold",
      "no rule selects it, now or later",
      "the first 20 by margin in percent",
    ]),
  );
  await user.clear(screen.getByLabelText("Margin, to"));
  await user.tab();
  expect(says()).not.toHaveProperty("margin");
});

test("what is no number narrows nothing and stays to be mended", async () => {
  const user = await narrowed("?stock=1:");
  await user.type(screen.getByLabelText("In stock, to"), "many:");
  await user.tab();
  expect(screen.getByLabelText("In stock, to")).toHaveProperty("value", "many");
  expect(screen.getByLabelText("In stock, to").getAttribute("aria-invalid")).toBe("true");
  expect(screen.getByRole("alert").textContent).toBe("no number");
  expect(says()).toEqual({ stock: "1:" });
  await user.clear(screen.getByLabelText("In stock, to"));
  await user.type(screen.getByLabelText("In stock, to"), "3");
  await user.tab();
  expect(says()).toEqual({ stock: "1:3" });
});

test("tags are chosen, live ones too, whatever stands in them", async () => {
  const user = await narrowed("?rule=A%2FB");
  await user.click(await screen.findByRole("button", { name: "Tag: any or none" }));
  await user.click(await screen.findByRole("option", { name: /daily, & more/ }));
  await user.click(await screen.findByRole("option", { name: /week-end \(while a rule is live\)/ }));
  expect(tagsOf(readFilter(new URLSearchParams(window.location.search)))).toEqual(["daily, & more", "week-end"]);
  expect(chips()).toEqual(expect.arrayContaining(["tagged daily, & more or week-end", "by Quay & <clay>"]));
});

test("tags of an address are those that were chosen; what was never escaped is taken as it stands", () => {
  for (const tags of [["a,b", "%", "=&"], ["طين"], []]) expect(tagsOf({ tags: tagsText(tags) })).toEqual(tags);
  expect(tagsOf({ tags: "50%" })).toEqual(["50%"]);
});

test("all that narrows is named", () => {
  const rest = ["against", "sort", "desc", "spread", "cols"];
  expect([...narrowing, ...rest].sort()).toEqual(Object.keys(noFilter).sort());
});
