import { expect, test } from "vitest";

// The house of the front end: api, lib and ui know no view; parts know no view; no view knows another.
const sources = import.meta.glob<string>("./**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });
const files = Object.keys(sources).map((f) => f.slice(2));
const code = files.filter((f) => !/\.test\.tsx?$|^testing\/|\.gen\.ts$/.test(f));

/** The files that one imports. */
function importsOf(file: string): string[] {
  const text = sources["./" + file] ?? "";
  return [...text.matchAll(/(?:^import|^\} from|^export .* from|\bimport\()[^;]*?"(\.[^"]+)"/gm)].flatMap(
    ([, to = ""]) => {
      const parts = file.split("/").slice(0, -1);
      for (const step of to.split("/")) {
        if (step === "..") parts.pop();
        else if (step !== ".") parts.push(step);
      }
      const path = parts.join("/");
      return [path, path + ".ts", path + ".tsx"].filter((f) => files.includes(f));
    },
  );
}
const room = (file: string) =>
  file
    .split("/")
    .slice(0, file.startsWith("views/") ? 2 : 1)
    .join("/");

test("the sources are found, and so is what they import", () => {
  expect(code.length).toBeGreaterThan(100);
  expect(importsOf("main.tsx")).toContain("views/board/Board.tsx");
});

test("no view imports another view", () => {
  const across = code
    .filter((f) => f.startsWith("views/"))
    .flatMap((f) =>
      importsOf(f)
        .filter((to) => to.startsWith("views/") && room(to) !== room(f))
        .map((to) => `${f} → ${to}`),
    );
  expect(across).toEqual([]);
});

test.each(["api", "lib", "ui", "parts"])("%s imports neither a view nor the frame", (name) => {
  const up = code
    .filter((f) => f.startsWith(name + "/"))
    .flatMap((f) =>
      importsOf(f)
        .filter((to) => /^(views|frame)\//.test(to))
        .map((to) => `${f} → ${to}`),
    );
  expect(up).toEqual([]);
});

test("only the files of a resource ask the program", () => {
  const asking = code.filter(
    (f) => !f.startsWith("api/") && /\bapi\.(GET|POST|PUT|PATCH|DELETE)\(|\bfetch\(/.test(sources["./" + f] ?? ""),
  );
  expect(asking).toEqual([]);
});

test("there is no circle between files", () => {
  const state = new Map<string, "open" | "done">();
  const circles: string[] = [];
  const visit = (file: string, path: string[]) => {
    if (state.get(file) === "done") return;
    if (state.get(file) === "open") {
      circles.push([...path.slice(path.indexOf(file)), file].join(" → "));
      return;
    }
    state.set(file, "open");
    for (const to of importsOf(file)) visit(to, [...path, file]);
    state.set(file, "done");
  };
  for (const f of code) visit(f, []);
  expect(circles).toEqual([]);
});

test("no type is forced through never", () => {
  expect(code.filter((f) => sources["./" + f]?.includes("as never"))).toEqual([]);
});
