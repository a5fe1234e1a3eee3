import { Tooltip } from "radix-ui";
import type { ReactElement, ReactNode } from "react";

/** More tips may come at once where one was just read. */
export const Tips = ({ children }: { children: ReactNode }) => (
  <Tooltip.Provider delayDuration={500} skipDelayDuration={250}>
    {children}
  </Tooltip.Provider>
);

/**
 * What a control does or how something is written, for the pointer and for whoever comes by keys. Text that is merely
 * cut off has a title instead: rows have hundreds of them.
 */
export function Tip({ text, children }: { text: ReactNode; children: ReactElement }) {
  if (!text) return children;
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={5}
          collisionPadding={8}
          className="z-50 max-w-[42ch] rounded-[3px] bg-ink px-2 py-1 text-[13px] leading-snug text-paper shadow-lg"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
