import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  title: ReactNode;
  /** Of the sheet, in pixels. */
  width: number;
  onClose: () => void;
  children: ReactNode;
}

/** A sheet over the view for one piece of work; Escape or a click beside it leaves. */
export const SheetDialog = ({ title, width, onClose, children }: Props) => (
  <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
    <Dialog.Portal>
      <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
      <Dialog.Content
        aria-describedby={undefined}
        style={{ width }}
        className="fixed top-[7vh] left-1/2 z-50 flex max-h-[88vh] max-w-[94vw] -translate-x-1/2 flex-col overflow-y-auto rounded-[5px] border border-ink/40 bg-sheet p-5 shadow-2xl"
      >
        <Dialog.Title className="text-[17px]">{title}</Dialog.Title>
        {children}
      </Dialog.Content>
    </Dialog.Portal>
  </Dialog.Root>
);

/** Leaves the sheet. */
export const SheetClose = Dialog.Close;
