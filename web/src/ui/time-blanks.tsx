import { addDays, format, isValid, parse } from "date-fns";
import { day, timeOfDay } from "../lib/format";
import { readDay, readDuration, readMonthDay, readTime, type Reading } from "../lib/reading";
import { DatePick } from "./date-pick";
import { Tip } from "./tip";
import { TypedInput } from "./typed-input";

interface Props {
  label: string;
  value: string;
  bad?: boolean | undefined;
  placeholder?: string;
  className?: string;
  hint?: string;
  readOnly?: boolean;
}

interface Reader {
  show: (value: string) => string;
  read: (typed: string) => Reading;
}

const ReadBlank = ({
  label,
  bad,
  hint,
  className = "",
  ...rest
}: Props & Reader & { onChange: (value: string) => void }) => (
  <Tip text={hint}>
    <TypedInput aria-label={label} aria-invalid={bad} className={`blank ${className}`} {...rest} />
  </Tip>
);

const meant = (value: string | null, says: (value: string) => string): Reading =>
  value === null ? null : { value, says: says(value) };

/** A day, as people write it, with a small calendar; where it is timed, a time written with it is handed on, too. */
export function DayBlank({
  now,
  timed = false,
  onChange,
  ...props
}: Props & { now: string; timed?: boolean; onChange: (date: string, time?: string) => void }) {
  const shown = (date: string) => {
    const d = parse(date, "yyyy-MM-dd", new Date(2000, 0, 1));
    return isValid(d) && date.length === 10 ? day(`${date}T00:00`, now) : date;
  };
  return (
    <>
      <ReadBlank
        hint="A day as you write it: 27 nov, 26.12.2026, tomorrow, mon, +2w"
        className="w-[122px]"
        {...props}
        show={(v) => shown(v)}
        read={(typed) => {
          const read = readDay(typed, props.value, now);
          const r = read?.time && !timed ? null : read;
          return meant(r && `${r.date} ${r.time}`.trim(), (v) => day(v.replace(" ", "T").padEnd(16, "T00:00"), now));
        }}
        onChange={(v) => {
          const [date = "", time] = /^\d{4}-\d{2}-\d{2} \d/.test(v) ? v.split(" ") : [v.trim()];
          onChange(date, time);
        }}
      />
      {!props.readOnly && (
        <DatePick
          label={props.label.replace(/ date$/, "").toLowerCase()}
          value={props.value}
          now={now}
          onPick={(date) => onChange(date)}
        />
      )}
    </>
  );
}

/** A time of day, as people write it. */
export const TimeBlank = (props: Props & { onChange: (value: string) => void }) => (
  <ReadBlank
    hint="A time as you write it: 9:00, 18h, 6 pm"
    className="w-16"
    {...props}
    show={timeOfDay}
    read={(typed) => meant(readTime(typed), timeOfDay)}
  />
);

const lasting = (minutes: number) => (minutes === 0 ? "off" : minutes % 60 === 0 ? `${minutes / 60}h` : `${minutes}m`);

/** A length of time as people write it; "off" where it may be none. */
export const DurationBlank = (props: Props & { onChange: (value: string) => void }) => (
  <ReadBlank
    hint="A length of time as you write it: 30 min, 2 h, 1:30"
    className="w-20"
    {...props}
    show={(v) => v}
    read={(typed) => {
      const minutes = readDuration(typed);
      return meant(minutes === null ? null : lasting(minutes), (v) => v);
    }}
  />
);

const leap = (value: string) => parse(`2028-${value}`, "yyyy-MM-dd", new Date(2000, 0, 1));
const shifted = (value: string, by: number) => {
  const d = leap(value);
  return isValid(d) ? format(addDays(d, by), "MM-dd") : value;
};
const named = (value: string) => (isValid(leap(value)) ? format(leap(value), "d MMM") : value);

/** A day of each year; the last one of a span, whose end is the day after it. */
export const YearDayBlank = ({
  last = false,
  value,
  onChange,
  ...props
}: Props & { last?: boolean; onChange: (value: string) => void }) => (
  <ReadBlank
    hint="A day of each year as you write it: 1 mar, 15.5., 12-27"
    className="w-20"
    {...props}
    value={last ? shifted(value, -1) : value}
    show={named}
    read={(typed) => meant(readMonthDay(typed), named)}
    onChange={(v) => onChange(last ? shifted(v, 1) : v)}
  />
);
