import { Dialog } from "radix-ui";
import { useState } from "react";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { PreviewSheet } from "../catalogue/PreviewSheet";
import { useImport } from "../catalogue/useImport";

/** Cells copied from a spreadsheet: SKU, list price and cost, or with a header. */
export function PasteDialog({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const on = useImport();
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
              on.paste(e.target.value);
            }}
          />
          {on.problem && (
            <p role="alert" className="mt-2 font-medium text-bad">
              {errorText(on.problem)}
            </p>
          )}
          <div className="min-h-0 overflow-y-auto">
            {text.trim() !== "" && <PreviewSheet on={on} onDone={onClose} />}
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
