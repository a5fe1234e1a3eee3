import { addDays, addHours, addWeeks, format, isValid, nextDay, parse, set, type Day } from "date-fns";
import { wall, wallText } from "./format";
import { writing } from "./writing";

const weekdays = ["sun", "mon", "tue", "wed", "thu", "fri", "sat"];
const weekday = (word: string) => weekdays.findIndex((d) => word.toLowerCase().startsWith(d));

const clocks: [RegExp, (m: RegExpExecArray) => [number, number]][] = [
  [/(?:^|[ T]+)(\d{1,2}):(\d{2})(?::00)?$/, (m) => [Number(m[1]), Number(m[2])]],
  [
    /(?:^|[ T]+)(\d{1,2})(?::(\d{2}))? ?([ap])\.?m\.?$/i,
    (m) => [(Number(m[1]) % 12) + (m[3]?.toLowerCase() === "p" ? 12 : 0), Number(m[2] ?? 0)],
  ],
];

/** The time of day at the end of a text, and what stands before it. */
function splitClock(text: string): { day: string; clock: [number, number] | null } | null {
  for (const [pattern, read] of clocks) {
    const m = pattern.exec(text);
    if (!m) continue;
    const clock = read(m);
    return clock[0] < 24 && clock[1] < 60 ? { day: text.slice(0, m.index).trim(), clock } : null;
  }
  return { day: text, clock: null };
}

/** The forms in which a day may stand, as whoever writes here writes them; those without a year mean this one. */
function dayForms(): string[] {
  const numbers = writing().dates === "month" ? ["M/d/yyyy", "M/d"] : ["d/M/yyyy", "d/M"];
  const words = [
    "d MMM yyyy",
    "d MMM",
    "d MMMM yyyy",
    "d MMMM",
    "MMM d, yyyy",
    "MMM d yyyy",
    "MMM d",
    "MMMM d, yyyy",
    "MMMM d",
  ];
  return ["yyyy-MM-dd", "yyyy-M-d", "d.M.yyyy", "d.M.", "d.M", "d-M-yyyy", ...numbers, ...words];
}

function readDay(text: string, today: Date): Date | null {
  const given = /^(sun|mon|tue|wed|thu|fri|sat)[a-z]*\.?,?(?: +|$)/i.exec(text);
  const rest = given ? text.slice(given[0].length).trim() : text;
  const wanted = given ? weekday(given[0]) : -1;
  if (given && rest === "") return today.getDay() === wanted ? today : nextDay(today, wanted as Day);
  for (const form of dayForms()) {
    const day = parse(rest, form, today);
    // "27" is no year: two digits are not guessed at.
    if (!isValid(day) || day.getFullYear() < 1000) continue;
    return wanted < 0 || day.getDay() === wanted ? day : null;
  }
  return null;
}

const days: Record<string, number> = { today: 0, tomorrow: 1, yesterday: -1 };

/**
 * The moment that somebody typed, or null where it is none: a date in the forms in which dates are shown or usual, with
 * or without a time of day; a weekday, which is the next; "now", "today", "tomorrow"; "+7" (days), "+2w" or "-3h" from
 * the moment that is shown. at and now are wall-clock texts, and so is what is given.
 */
export function readMoment(typed: string, at: string, now: string): string | null {
  const text = typed.trim().replace(/\s+/g, " ");
  const [shown, present] = [wall(at), wall(now)];
  if (/^now$/i.test(text)) return now.slice(0, 16);
  const step = /^([+-]) ?(\d{1,4}) ?(d|days?|w|weeks?|h|hours?)?$/i.exec(text);
  if (step) {
    const n = Number(step[2]) * (step[1] === "-" ? -1 : 1);
    const unit = step[3]?.[0]?.toLowerCase() ?? "d";
    return wallText(unit === "h" ? addHours(shown, n) : unit === "w" ? addWeeks(shown, n) : addDays(shown, n));
  }
  const parts = splitClock(text);
  if (!parts || text === "") return null;
  const today = set(present, { hours: 0, minutes: 0, seconds: 0 });
  const word = days[parts.day.toLowerCase()];
  const day =
    parts.day === "" && parts.clock
      ? set(shown, { hours: 0, minutes: 0 })
      : word !== undefined
        ? addDays(today, word)
        : readDay(parts.day, today);
  if (!day) return null;
  return `${format(day, "yyyy-MM-dd")}T${(parts.clock ?? [0, 0]).map((n) => String(n).padStart(2, "0")).join(":")}`;
}
