import { useMutation } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useRef, useState } from "react";
import { api, take, type Preview } from "../../api/client";
import { useSave } from "../../api/queries";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { Empty } from "../../ui/states";
import { PreviewSheet } from "./PreviewSheet";

/** A product file: chosen, its columns matched, what it would change and what is wrong with it, then imported or not. */
export function ImportPanel({ onDone }: { onDone: () => void }) {
  const input = useRef<HTMLInputElement>(null);
  const [preview, setPreview] = useState<Preview | null>(null);
  const [over, setOver] = useState(false);
  const read = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("file", file);
      return take(api.POST("/api/imports", { body: form as never, bodySerializer: (b) => b as never }));
    },
    onSuccess: setPreview,
    onError: () => setPreview(null),
  });
  const remap = useMutation({
    mutationFn: (mapping: Record<string, string>) =>
      take(
        api.POST("/api/imports/{token}/preview", {
          params: { path: { token: preview?.token ?? "" } },
          body: { mapping },
        }),
      ),
    onSuccess: setPreview,
  });
  const save = useSave(() =>
    take(
      api.POST("/api/imports/{token}/import", {
        params: { path: { token: preview?.token ?? "" } },
        body: { mapping: preview?.mapping ?? {} },
      }),
    ),
  );
  const choose = (files: FileList | null) => {
    const [file] = files ?? [];
    if (file) {
      save.reset();
      remap.reset();
      read.mutate(file);
    }
    if (input.current) input.current.value = "";
  };
  const problem = read.error ?? remap.error ?? save.error;
  return (
    <div
      className={`h-full overflow-y-auto px-5 pb-12 ${over ? "bg-wash" : ""}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        choose(e.dataTransfer.files);
      }}
    >
      <div className="mx-auto max-w-[1100px]">
        <div className="flex items-center gap-3 py-3">
          <input
            ref={input}
            type="file"
            accept=".csv,text/csv,text/plain"
            className="sr-only"
            aria-label="Product file"
            onChange={(e) => choose(e.target.files)}
          />
          <Button look={preview ? "plain" : "ink"} onClick={() => input.current?.click()}>
            <Upload size={14} aria-hidden /> {preview ? "Choose another file" : "Choose a CSV file"}
          </Button>
          <span className="text-quiet">
            {read.isPending
              ? "Reading …"
              : preview
                ? preview.file
                : "or drop it here. Nothing is written before you have seen what would change."}
          </span>
        </div>
        {problem && (
          <p role="alert" className="rounded-[4px] border-2 border-bad bg-badwash px-3 py-2 font-medium">
            {errorText(problem)} <span className="font-normal">Nothing was imported.</span>
          </p>
        )}
        {preview ? (
          <PreviewSheet
            preview={preview}
            busy={remap.isPending || save.isPending}
            onMap={(m) => remap.mutate(m)}
            onImport={() => save.mutate(undefined, { onSuccess: onDone })}
          />
        ) : (
          !problem && (
            <Empty title="Bring in products, prices and costs">
              The first line names the columns: SKU, name, list price, cost, category, brand, tags, stock and more. A
              SKU that is in the book is changed, any other is new. An empty cell leaves what is there.
            </Empty>
          )
        )}
      </div>
    </div>
  );
}
