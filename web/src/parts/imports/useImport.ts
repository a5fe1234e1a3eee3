import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Job, Preview } from "../../api/client";
import {
  importFile,
  importImpactQuery,
  previewImport,
  readFile,
  readPaste,
  type ImportKind,
  type Matching,
} from "../../api/imports";
import { finished, giveUp } from "../../api/jobs";
import { useSave } from "../../api/saving";

/** A file or pasted cells on their way in: read, columns matched, previewed with their effect, imported or not. */
export function useImport() {
  const [preview, setPreview] = useState<Preview | null>(null);
  const [job, setJob] = useState<Job | null>(null);
  const token = preview?.token ?? "";
  const mapping = preview?.mapping ?? {};
  const format = preview?.format;
  const as: Matching = format ? { mapping, format } : { mapping };
  const shown = {
    onSuccess: setPreview,
    onError: () => {
      setPreview(null);
    },
  };
  const file = useMutation({ mutationFn: readFile, ...shown });
  const paste = useMutation({ mutationFn: readPaste, ...shown });
  const remap = useMutation({ mutationFn: (next: Matching) => previewImport(token, next), onSuccess: setPreview });
  const good = preview !== null && !preview.problem && preview.badCount === 0 && preview.new + preview.changed > 0;
  const effect = useQuery({ ...importImpactQuery(token, as), enabled: good && job === null });
  const save = useSave((_: void, seen) =>
    finished(importFile(token, as, seen), setJob).finally(() => {
      setJob(null);
    }),
  );
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
    giveUp: () => {
      if (job) void giveUp(job.id);
    },
    reset,
  };
}
