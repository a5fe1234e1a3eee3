import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Job, type Preview } from "../../api/client";
import { finished, useSave } from "../../api/queries";

export type ImportKind = Preview["kind"];

/** A file or pasted cells on their way in: read, columns matched, previewed with their effect, imported or not. */
export function useImport() {
  const [preview, setPreview] = useState<Preview | null>(null);
  const [job, setJob] = useState<Job | null>(null);
  const path = { token: preview?.token ?? "" };
  const mapping = preview?.mapping ?? {};
  const format = preview?.format;
  const as = format ? { mapping, format } : { mapping };
  const shown = { onSuccess: setPreview, onError: () => setPreview(null) };
  const file = useMutation({
    mutationFn: ({ file, kind }: { file: File; kind: ImportKind }) => {
      const form = new FormData();
      form.append("file", file);
      return take(
        api.POST("/api/imports", {
          params: { query: { kind } },
          body: form as never,
          bodySerializer: (b) => b as never,
        }),
      );
    },
    ...shown,
  });
  const paste = useMutation({
    mutationFn: (text: string) => take(api.POST("/api/imports/paste", { body: { text } })),
    ...shown,
  });
  const remap = useMutation({
    mutationFn: (next: { mapping: Record<string, string>; format?: Preview["format"] }) =>
      take(api.POST("/api/imports/{token}/preview", { params: { path }, body: next })),
    onSuccess: setPreview,
  });
  const good = preview !== null && !preview.problem && preview.badCount === 0 && preview.new + preview.changed > 0;
  const effect = useQuery({
    queryKey: ["book", "import-effect", path.token, as],
    queryFn: ({ signal }) =>
      take(api.POST("/api/imports/{token}/effect/preview", { params: { path }, body: as, signal })),
    enabled: good && job === null,
    retry: false,
    staleTime: Infinity,
    gcTime: 10_000,
  });
  const save = useSave(() =>
    finished(take(api.POST("/api/imports/{token}/import", { params: { path }, body: as })), setJob).finally(() =>
      setJob(null),
    ),
  );
  const giveUp = () => job && void api.DELETE("/api/jobs/{id}", { params: { path: { id: job.id } } });
  const reset = () => {
    for (const m of [file, paste, remap, save]) m.reset();
    setPreview(null);
  };
  return {
    preview,
    good,
    job,
    effect,
    reading: file.isPending || paste.isPending,
    saving: save.isPending,
    problem: file.error ?? paste.error ?? remap.error ?? save.error,
    choose: (f: File, kind: ImportKind) => {
      reset();
      file.mutate({ file: f, kind });
    },
    paste: (text: string) => {
      reset();
      if (text.trim()) paste.mutate(text);
    },
    remap: (next: Record<string, string>) => remap.mutate({ ...as, mapping: next }),
    reformat: (next: Preview["format"]) => remap.mutate({ mapping, format: next }),
    save: (done: () => void) => save.mutate(undefined, { onSuccess: done }),
    giveUp,
    reset,
  };
}
