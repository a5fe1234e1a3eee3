import { Dialog } from "radix-ui";
import { Button } from "../ui/button";

const keys: [string, string][] = [
  ["Ctrl K", "Find a product or a rule, or do something"],
  ["1 … 7", "Board, Stack, Calendar, Basket, Flags, Publish, Catalogue"],
  ["n", "Write a new sale rule"],
  ["t", "Open or close the trail of the selected product"],
  ["/", "Search the board"],
  ["↑ ↓", "Go through the rows of the board; Enter opens the trail"],
  ["e", "Edit the list price of the selected row"],
  ["x", "Choose the selected row, for a rule or a change of many"],
  ["← →", "On the time strip: to the earlier or next price change"],
  ["Alt ↑ ↓", "On a rule of the stack: move it up or down"],
  ["↑ ↓ Home End", "In a list: to the same control of another row; Tab leaves the list"],
  ["← → on a bar", "In the calendar: move the window; with Shift its end, with Ctrl its start; Enter keeps it"],
  ["+ - [ ] 0", "In the calendar: zoom, earlier, later, today"],
  ["p", "In the basket: pin what it costs as a check"],
  ["Ctrl Enter", "In the editor: save the rule"],
  ["Esc", "Leave a field without saving; close a panel"],
  ["?", "This sheet"],
];

export function HelpSheet({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          className="fixed top-[14vh] left-1/2 z-50 w-[560px] max-w-[92vw] -translate-x-1/2 rounded-[5px] border border-ink/40 bg-sheet p-5 shadow-2xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="mb-3 text-[17px]">Keys</Dialog.Title>
          <dl className="grid grid-cols-[110px_1fr] gap-y-1.5">
            {keys.map(([key, what]) => (
              <div key={key} className="contents">
                <dt>
                  <kbd className="rounded-[3px] border border-ink/40 px-1.5 font-sans text-[12px] font-semibold">
                    {key}
                  </kbd>
                </dt>
                <dd>{what}</dd>
              </div>
            ))}
          </dl>
          <Dialog.Close asChild>
            <Button className="mt-4">Close</Button>
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
