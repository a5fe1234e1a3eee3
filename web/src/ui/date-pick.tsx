import { format, isValid, parse } from "date-fns";
import { CalendarDays } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { DayPicker } from "react-day-picker";
import { wall } from "../lib/format";

interface Props {
  label: string;
  /** year-month-day, or whatever was typed. */
  value: string;
  /** The present, on the book's wall clock. */
  now: string;
  onPick: (day: string) => void;
}

const written = "yyyy-MM-dd";

/** A small calendar beside a date that is typed. */
export function DatePick({ label, value, now, onPick }: Props) {
  const [open, setOpen] = useState(false);
  const typed = parse(value, written, new Date(2000, 0, 1));
  const chosen = isValid(typed) ? typed : undefined;
  const today = now ? wall(now) : new Date();
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <button
          type="button"
          aria-label={`Pick the day of ${label}`}
          className="rounded-[3px] px-0.5 align-[-2px] text-quiet hover:bg-wash hover:text-ink"
        >
          <CalendarDays size={15} aria-hidden />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          aria-label={`Days for ${label}`}
          className="z-40 rounded-[4px] border border-ink/40 bg-sheet p-2 text-[14px] shadow-xl"
        >
          <DayPicker
            mode="single"
            autoFocus
            ISOWeek
            showWeekNumber
            fixedWeeks
            today={today}
            defaultMonth={chosen ?? today}
            selected={chosen}
            onSelect={(day) => {
              if (day) onPick(format(day, written));
              setOpen(false);
            }}
            classNames={days}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

const turn = "absolute top-0 rounded-[3px] px-1.5 py-0.5 hover:bg-wash [&_svg]:size-4 [&_svg]:fill-ink";

const days = {
  root: "relative",
  nav: "",
  button_previous: `${turn} left-0`,
  button_next: `${turn} right-0`,
  month_caption: "pb-1 text-center font-semibold",
  weekday: "w-8 py-0.5 text-center text-[12px] font-normal text-quiet",
  week_number: "w-8 pr-1 text-right text-[12px] text-quiet",
  week_number_header: "w-8",
  day: "p-0 text-center",
  day_button: "h-7 w-8 rounded-[3px] hover:bg-wash focus-visible:outline-2 focus-visible:outline-focus",
  outside: "text-quiet opacity-60",
  today: "font-bold underline underline-offset-4",
  selected: "[&>button]:bg-ink [&>button]:text-paper [&>button]:hover:bg-ink",
};
