// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { beforeEach, expect, test } from "vitest";
import { emptyForm } from "../../parts/rule/form";
import { forget, newRuleDraft, useUnfinished } from "./unfinished";

beforeEach(() => sessionStorage.clear());

test("what was begun and left stands in the layer in which it is now, and can be let go", () => {
  const form = { ...emptyForm("promotion", 3), name: "Deal & <more>" };
  sessionStorage.setItem(newRuleDraft("", "sale"), JSON.stringify({ etag: "", value: form }));
  sessionStorage.setItem(newRuleDraft("GLAZE-WEEK", "tier"), JSON.stringify({ etag: "", value: emptyForm("tier", 1) }));
  sessionStorage.setItem("dogbane-rule GLAZE-WEEK  sale", JSON.stringify({ etag: "1", value: form })); // of a saved one
  sessionStorage.setItem(newRuleDraft("", "group"), "{broken");
  const { result } = renderHook(() => useUnfinished());
  expect([...result.current].sort((a, b) => a.layer.localeCompare(b.layer))).toMatchObject([
    { name: "Deal & <more>", layer: "promotion", began: { copy: "", layer: "sale" } },
    { name: "", layer: "tier", began: { copy: "GLAZE-WEEK", layer: "tier" } },
  ]);
  act(() => result.current.filter((u) => u.layer === "promotion").forEach(forget));
  expect(result.current.map((u) => u.layer)).toEqual(["tier"]);
});
