import { useSyncExternalStore } from "react";
import { amount, moment } from "../lib/format";
import { onWriting, setWriting, writing, type Writing } from "../lib/writing";
import { Button } from "../ui/button";
import { SheetClose, SheetDialog } from "../ui/sheet-dialog";

const numbers: Writing["numbers"][] = ["1 234.56", "1.234,56", "1,234.56"];
const dates: [Writing["dates"], string][] = [
  ["day", "day first: Fri 27 Nov"],
  ["month", "month first: Fri Nov 27"],
  ["year", "year first: Fri 2026-11-27"],
];

/** How amounts, dates and hours are written on this screen. */
export function WritingDialog({ onClose }: { onClose: () => void }) {
  const now = useSyncExternalStore(onWriting, writing);
  const set = (part: Partial<Writing>) => setWriting({ ...now, ...part });
  return (
    <SheetDialog title="How amounts and dates are written" width={520} onClose={onClose}>
      <p className="text-quiet">On this screen. Documents, and files that are exported otherwise, stay as they are.</p>
      <fieldset className="mt-3">
        <legend className="font-medium">Amounts</legend>
        {numbers.map((n) => (
          <label key={n} className="mr-5 inline-flex items-center gap-1.5">
            <input
              type="radio"
              name="numbers"
              className="accent-ink"
              checked={now.numbers === n}
              onChange={() => set({ numbers: n })}
            />
            {n}
          </label>
        ))}
      </fieldset>
      <fieldset className="mt-3">
        <legend className="font-medium">Dates</legend>
        {dates.map(([key, name]) => (
          <label key={key} className="flex items-center gap-1.5">
            <input
              type="radio"
              name="dates"
              className="accent-ink"
              checked={now.dates === key}
              onChange={() => set({ dates: key })}
            />
            {name}
          </label>
        ))}
      </fieldset>
      <fieldset className="mt-3">
        <legend className="font-medium">Hours</legend>
        {([24, 12] as const).map((h) => (
          <label key={h} className="mr-5 inline-flex items-center gap-1.5">
            <input
              type="radio"
              name="hours"
              className="accent-ink"
              checked={now.hours === h}
              onChange={() => set({ hours: h })}
            />
            {h === 24 ? "24 hours: 14:30" : "12 hours: 2:30 PM"}
          </label>
        ))}
      </fieldset>
      <p className="mt-3 border-t pt-2" data-testid="writing-sample">
        {amount("-1286.41")} on {moment("2026-11-27T14:30")}
      </p>
      <div className="mt-3">
        <SheetClose asChild>
          <Button look="ink">Close</Button>
        </SheetClose>
      </div>
    </SheetDialog>
  );
}
