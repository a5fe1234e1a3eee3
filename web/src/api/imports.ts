import { queryOptions } from "@tanstack/react-query";
import { api, take, type Preview, type Schema, type Seen } from "./client";

export type ImportKind = Preview["kind"];
export type Matching = Schema["IntakeMatching"];

/** Reads a file and previews it. */
export function readFile(input: { file: File; kind: ImportKind }) {
  const form = new FormData();
  form.append("file", input.file);
  return take(
    api.POST("/api/imports", {
      params: { query: { kind: input.kind } },
      body: { file: input.file.name },
      bodySerializer: () => form,
    }),
  );
}

export const readPaste = (text: string) => take(api.POST("/api/imports/paste", { body: { text } }));

export const previewImport = (token: string, body: Matching) =>
  take(api.POST("/api/imports/{token}/preview", { params: { path: { token } }, body }));

/** What importing a file would do to prices. */
export const importImpactQuery = (token: string, body: Matching) =>
  queryOptions({
    queryKey: ["book", "import-impact", token, body],
    queryFn: ({ signal }) =>
      take(api.POST("/api/imports/{token}/effect/preview", { params: { path: { token } }, body, signal })),
    retry: false,
    staleTime: Infinity,
    gcTime: 10_000,
  });

/** Begins to import a file. */
export const importFile = (token: string, body: Matching, seen: Seen) =>
  take(api.POST("/api/imports/{token}/import", { params: { path: { token }, header: seen }, body }));
