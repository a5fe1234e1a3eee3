// @vitest-environment jsdom
import { act, renderHook, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { Problem } from "../api/client";
import { page } from "../testing/page";
import { useDraft } from "./draft";

interface Doc {
  name: string;
}

/** A form over what is saved. */
function Form({ saved, etag = "1", refusal }: { saved: Doc; etag?: string; refusal?: unknown }) {
  const draft = useDraft<Doc>("a rule", saved, etag);
  return (
    <>
      <input aria-label="Name" value={draft.value.name} onChange={(e) => draft.set({ name: e.target.value })} />
      <p data-testid="state">
        {[draft.dirty && "dirty", draft.found && "found", `over ${draft.etag}`].filter(Boolean).join(", ")}
      </p>
      <p data-testid="theirs">{JSON.stringify(draft.theirs)}</p>
      <button onClick={() => draft.refused(refusal)}>refuse</button>
      <button onClick={() => draft.rebase("9")}>rebase</button>
      <button onClick={() => draft.restart(saved, etag)}>restart</button>
    </>
  );
}

const state = () => screen.getByTestId("state").textContent;
const field = () => screen.getByLabelText<HTMLInputElement>("Name");

test("what was typed outlives the page, with the state that it is based on", async () => {
  const { user, away } = page(<Form saved={{ name: "quay" }} />);
  expect(state()).toBe("over 1");
  await user.clear(field());
  await user.type(field(), "“quay” & <clay> 🏺");
  expect(state()).toBe("dirty, over 1");
  away();
  // Meanwhile somebody saved another state.
  page(<Form saved={{ name: "harbour" }} etag="2" />);
  expect(field().value).toBe("“quay” & <clay> 🏺");
  expect(state()).toBe("dirty, found, over 1");
});

test("what was typed back to what is saved is no draft", async () => {
  const { user, away } = page(<Form saved={{ name: "quay" }} />);
  await user.type(field(), "s{Backspace}");
  expect(state()).toBe("over 1");
  away();
  page(<Form saved={{ name: "harbour" }} etag="2" />);
  expect(field().value).toBe("harbour");
  expect(state()).toBe("over 2");
});

test("a fresh start forgets what was left", async () => {
  const { user, away } = page(<Form saved={{ name: "quay" }} />);
  await user.type(field(), " and more");
  await user.click(screen.getByText("restart"));
  expect(field().value).toBe("quay");
  expect(state()).toBe("over 1");
  away();
  page(<Form saved={{ name: "quay" }} />);
  expect(field().value).toBe("quay");
});

test.each([
  ["somebody else saved", new Problem(412, "changed", [], { name: "theirs" }), '{"name":"theirs"}'],
  ["somebody else deleted it", new Problem(412, "changed", [], null), "null"],
  ["the values are wrong", new Problem(422, "wrong", [], undefined), ""],
  ["the program is away", new TypeError("network"), ""],
])("refused because %s", async (_, refusal, theirs) => {
  const { user } = page(<Form saved={{ name: "quay" }} refusal={refusal} />);
  await user.type(field(), "s");
  await user.click(screen.getByText("refuse"));
  expect(screen.getByTestId("theirs").textContent).toBe(theirs);
  expect(field().value).toBe("quays");
});

test("whoever keeps their own goes on over that state", async () => {
  const { user } = page(<Form saved={{ name: "quay" }} refusal={new Problem(412, "changed", [], { name: "x" })} />);
  await user.type(field(), "s");
  await user.click(screen.getByText("refuse"));
  await user.click(screen.getByText("rebase"));
  expect(state()).toBe("dirty, over 9");
  expect(screen.getByTestId("theirs").textContent).toBe("");
});

/** Saves another state while the form is open. */
function Changing() {
  const [n, next] = useState(1);
  return (
    <>
      <Form saved={{ name: n === 1 ? "quay" : "harbour" }} etag={String(n)} />
      <button onClick={() => next(2)}>saved elsewhere</button>
    </>
  );
}

test("where nothing was written, what is saved meanwhile is followed; what was written stays", async () => {
  const { user, away } = page(<Changing />);
  await user.click(screen.getByText("saved elsewhere"));
  expect(field().value).toBe("harbour");
  expect(state()).toBe("over 2");
  away();
  const second = page(<Changing />);
  await second.user.type(field(), "s");
  await second.user.click(screen.getByText("saved elsewhere"));
  expect(field().value).toBe("quays");
  expect(state()).toBe("dirty, over 1");
});

test("what another program left under the same key is not taken for a draft", () => {
  sessionStorage.setItem("a rule", "{not a document");
  page(<Form saved={{ name: "quay" }} />);
  expect(field().value).toBe("quay");
  expect(state()).toBe("over 1");
});

test("what an earlier program left is made what it would be today", () => {
  sessionStorage.setItem("old", JSON.stringify({ etag: "1", value: { name: "left" } }));
  const start = { name: "", attrs: [] as string[] };
  const { result } = renderHook(() => useDraft("old", start, "1", undefined, (left) => ({ ...start, ...left })));
  expect(result.current.value).toEqual({ name: "left", attrs: [] });
  expect(result.current.found).toBe(true);
});

test("what was saved is followed, also where the program writes it otherwise, unless something was written meanwhile", () => {
  sessionStorage.clear();
  const draft = renderHook(({ saved, etag }) => useDraft("a product", saved, etag), {
    initialProps: { saved: { list: "14.50" }, etag: "1" },
  });
  act(() => draft.result.current.set({ list: "15.7" }));
  expect(draft.result.current.dirty).toBe(true);
  act(() => draft.result.current.forget());
  expect(draft.result.current.dirty).toBe(false);
  draft.rerender({ saved: { list: "15.70" }, etag: "2" });
  expect(draft.result.current.value).toEqual({ list: "15.70" });
  expect(draft.result.current.etag).toBe("2");
  act(() => draft.result.current.set({ list: "16" }));
  act(() => draft.result.current.forget());
  act(() => draft.result.current.set({ list: "17" }));
  draft.rerender({ saved: { list: "16.00" }, etag: "3" });
  expect(draft.result.current.value).toEqual({ list: "17" });
  expect(draft.result.current.dirty).toBe(true);
});
