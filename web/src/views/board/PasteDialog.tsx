import { useMutation } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api, take, type Preview } from "../../api/client";
import { useSave } from "../../api/queries";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { PreviewSheet } from "../catalogue/PreviewSheet";

/** Cells copied from a spreadsheet: SKU, list price and cost, or with a header. */
export function PasteDialog({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const [preview, setPreview] = useState<Preview | null>(null);
  const read = useMutation({
    mutationFn: (pasted: string) => take(api.POST("/api/imports/paste", { body: { text: pasted } })),
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
  const problem = read.error ?? remap.error ?? save.error;
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[6vh] left-1/2 z-50 flex max-h-[88vh] w-[980px] max-w-[94vw] -translate-x-1/2 flex-col rounded-[5px] border border-ink/40 bg-sheet p-5 shadow-2xl"
        >
          <Dialog.Title className="text-[17px]">Paste from a spreadsheet</Dialog.Title>
          <textarea
            aria-label="Pasted cells"
            autoFocus
            className="field mt-2 h-28 w-full shrink-0 font-mono text-[13px]"
            placeholder="Copy cells and paste them here: SKU, list price, cost. With a header row, any columns of the catalogue."
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              save.reset();
              if (e.target.value.trim()) read.mutate(e.target.value);
              else setPreview(null);
            }}
          />
          {problem && (
            <p role="alert" className="mt-2 font-medium text-bad">
              {errorText(problem)}
            </p>
          )}
          <div className="min-h-0 overflow-y-auto">
            {preview && text.trim() !== "" && !read.error && (
              <PreviewSheet
                preview={preview}
                busy={remap.isPending || save.isPending}
                onMap={(m) => remap.mutate(m)}
                onImport={() => save.mutate(undefined, { onSuccess: onClose })}
              />
            )}
          </div>
          <div className="mt-3">
            <Dialog.Close asChild>
              <Button>Leave it</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
