import { useState } from "react";
import { errorText } from "../../lib/format";
import { SheetClose, SheetDialog } from "../../ui/sheet-dialog";
import { Button } from "../../ui/button";
import { PreviewSheet } from "../../parts/imports/PreviewSheet";
import { useImport } from "../../parts/imports/useImport";

/** Cells copied from a spreadsheet: the SKU, then words as the name and numbers as list price and cost; or with a header. */
export function PasteDialog({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const on = useImport();
  return (
    <SheetDialog title="Paste from a spreadsheet" width={980} onClose={onClose}>
      <textarea
        aria-label="Pasted cells"
        autoFocus
        className="field mt-2 h-28 w-full shrink-0 font-mono text-[13px]"
        placeholder="Copy cells and paste them here: SKU, name, list price, cost. With a header row, any columns of the catalogue."
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
      <div className="min-h-0 overflow-y-auto">{text.trim() !== "" && <PreviewSheet on={on} onDone={onClose} />}</div>
      <div className="mt-3">
        <SheetClose asChild>
          <Button>Leave it</Button>
        </SheetClose>
      </div>
    </SheetDialog>
  );
}
