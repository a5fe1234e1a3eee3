import { Command } from "cmdk";
import { Check } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";

interface Props {
  label: string;
  options: string[];
  chosen: string[];
  onChange: (chosen: string[]) => void;
  empty: string;
  invalid?: boolean;
  show?: (option: string) => string;
  /** What it means that the list was opened and nothing was chosen. */
  leftEmpty?: string;
}

/** Chooses any number of values from a list that can be searched. */
export function PickMany({ label, options, chosen, onChange, empty, invalid, show = (o) => o, leftEmpty }: Props) {
  const all = [...chosen.filter((c) => !options.includes(c)), ...options];
  const text =
    chosen.length === 0
      ? empty
      : chosen.length > 3
        ? `${chosen.slice(0, 2).map(show).join(", ")} + ${chosen.length - 2}`
        : chosen.map(show).join(", ");
  const [left, setLeft] = useState(false);
  return (
    <Popover.Root onOpenChange={(open) => setLeft(!open)}>
      <Popover.Trigger asChild>
        <button
          type="button"
          className={`blank text-left ${chosen.length === 0 && empty.startsWith("+") ? "font-normal text-quiet" : ""}`}
          aria-label={`${label}: ${text}`}
          data-invalid={invalid === true || undefined}
        >
          {text}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          className="z-40 w-80 rounded-[4px] border border-ink/40 bg-sheet shadow-xl"
        >
          <Command label={label}>
            <Command.Input
              placeholder={`Find a ${label.toLowerCase()}`}
              className="w-full border-b bg-transparent px-3 py-2 outline-none"
            />
            <Command.List className="max-h-72 overflow-auto p-1">
              <Command.Empty className="px-3 py-4 text-quiet">Nothing by that name.</Command.Empty>
              {all.map((o) => (
                <Command.Item
                  key={o}
                  value={o}
                  keywords={[show(o)]}
                  onSelect={() => onChange(chosen.includes(o) ? chosen.filter((c) => c !== o) : [...chosen, o])}
                  className="flex cursor-pointer items-center gap-2 rounded-[3px] px-2 py-1 data-[selected=true]:bg-wash"
                >
                  <Check size={14} className={chosen.includes(o) ? "" : "invisible"} aria-hidden />
                  <span>
                    {show(o)} {show(o) !== o && !show(o).includes(" › ") && <span className="text-quiet">{o}</span>}
                  </span>
                  {chosen.includes(o) && <span className="sr-only">chosen</span>}
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
      {left && chosen.length === 0 && leftEmpty && (
        <span role="status" className="ml-2 text-[14px] font-medium text-bad">
          {leftEmpty}
        </span>
      )}
    </Popover.Root>
  );
}
