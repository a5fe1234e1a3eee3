import { AlertDialog } from "radix-ui";
import type { ReactNode } from "react";
import { Button } from "./button";

interface Props {
  title: string;
  children: ReactNode;
  /** The verb of what is asked about. */
  yes: string;
  no: string;
  onAnswer: (yes: boolean) => void;
}

/** Asks before something that may not be meant; Escape is no. */
export const Confirm = ({ title, children, yes, no, onAnswer }: Props) => (
  <AlertDialog.Root open onOpenChange={(open) => !open && onAnswer(false)}>
    <AlertDialog.Portal>
      <AlertDialog.Overlay className="fixed inset-0 z-50 bg-black/35" />
      <AlertDialog.Content className="fixed top-[18vh] left-1/2 z-50 w-[560px] max-w-[94vw] -translate-x-1/2 rounded-[5px] border border-ink/40 bg-sheet p-5 shadow-2xl">
        <AlertDialog.Title className="text-[17px]">{title}</AlertDialog.Title>
        <AlertDialog.Description asChild>
          <div className="text-quiet">{children}</div>
        </AlertDialog.Description>
        <div className="mt-4 flex gap-2">
          <AlertDialog.Cancel asChild>
            <Button look="ink">{no}</Button>
          </AlertDialog.Cancel>
          <Button look="danger" onClick={() => onAnswer(true)}>
            {yes}
          </Button>
        </div>
      </AlertDialog.Content>
    </AlertDialog.Portal>
  </AlertDialog.Root>
);
