import { Popover } from "radix-ui";
import type { ReactElement, ReactNode } from "react";

interface Props {
  /** What opens it. */
  trigger: ReactElement;
  label: string;
  /** In pixels, as far as the window is that wide. */
  width: number;
  children: ReactNode;
}

/** A few controls that open beside what they belong to; Escape or a click elsewhere closes them. */
export const Pop = ({ trigger, label, width, children }: Props) => (
  <Popover.Root>
    <Popover.Trigger asChild>{trigger}</Popover.Trigger>
    <Popover.Portal>
      <Popover.Content
        align="start"
        sideOffset={4}
        collisionPadding={8}
        aria-label={label}
        style={{ width }}
        className="z-40 max-h-(--radix-popover-content-available-height) max-w-[96vw] overflow-y-auto rounded-[4px] border border-ink/40 bg-sheet p-4 shadow-xl"
      >
        {children}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
);
