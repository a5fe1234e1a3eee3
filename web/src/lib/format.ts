import { addDays, addMinutes, addSeconds, format, getSeconds, isValid, parse } from "date-fns";
import { marks, writing } from "./writing";

/** An amount with its thousands parted and a true minus: "1 450.00". Amounts are texts and stay exact. */
export function amount(text: string | null | undefined): string {
  if (text === null || text === undefined) return "–";
  const negative = text.startsWith("-");
  const [whole = "", fraction] = (negative ? text.slice(1) : text).split(".");
  const [group, decimal] = marks();
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, group);
  return (negative ? "\u2212" : "") + grouped + (fraction === undefined ? "" : decimal + fraction);
}

/** An amount with its sign always shown. */
export function signed(text: string): string {
  return isZero(text) ? "0" : text.startsWith("-") ? amount(text) : "+" + amount(text);
}

export const isZero = (text: string) => /^-?0*(\.0*)?$/.test(text);

/** A whole number with its thousands parted, for counts. */
export const count = (n: number) => n.toLocaleString("en-GB").replaceAll(",", marks()[0]);

/** "1 product", "2 products". */
export const counted = (n: number, one: string) => `${count(n)} ${one}${n === 1 ? "" : "s"}`;

/** For drawing and comparing only; what is shown is always the text. */
export const approx = (text: string | null | undefined) => (text === null || text === undefined ? NaN : Number(text));

const wallFormat = "yyyy-MM-dd'T'HH:mm";
const toTheSecond = "yyyy-MM-dd'T'HH:mm:ss";

/** A wall-clock text as a Date whose local fields read the same, to the minute; only for showing. */
export const wall = (text: string) => parse(text.slice(0, 16), wallFormat, new Date(2000, 0, 1));

/** The same to the second: what begins or ends within a minute says so. What follows, such as an offset, is not read. */
const exactly = (text: string) =>
  /T\d\d:\d\d:\d\d/.test(text) ? parse(text.slice(0, 19), toTheSecond, new Date(2000, 0, 1)) : wall(text);

/** A Date as a wall-clock text, with its seconds where there are any. */
export const wallText = (d: Date) => format(d, getSeconds(d) === 0 ? wallFormat : toTheSecond);

const clock = (d: Date) => {
  const seconds = getSeconds(d) === 0 ? "" : ":ss";
  return writing().hours === 12 ? `h:mm${seconds} a` : `HH:mm${seconds}`;
};

const atMidnight = (text: string) => /^00:00(:00)?$/.test(text.slice(11));
/** The last minute before an exclusive end, or the last second where it has seconds. */
const before = (d: Date) => (getSeconds(d) === 0 ? addMinutes(d, -1) : addSeconds(d, -1));

/** The form of a date: the year only where it is not this one, unless it comes first. */
function dateForm(text: string, now?: string): string {
  const other = now && text.slice(0, 4) !== now.slice(0, 4);
  if (writing().dates === "year") return "EEE yyyy-MM-dd";
  if (writing().dates === "month") return other ? "EEE MMM d, yyyy" : "EEE MMM d";
  return other ? "EEE d MMM yyyy" : "EEE d MMM";
}

/** "Fri 27 Nov 09:00"; the year where it is not this one. */
export function moment(text: string, now?: string): string {
  return written(wall(text), text, now);
}

const written = (d: Date, text: string, now?: string) =>
  isValid(d) ? format(d, `${dateForm(text, now)} ${clock(d)}`) : text;

/** A time of day of the document as it is written here: "18:00", or "6:00 pm". */
export function timeOfDay(text: string): string {
  const d = exactly(`2000-01-01T${text}`);
  return isValid(d) && /^\d{2}:\d{2}/.test(text) ? format(d, clock(d)) : text;
}

/** The same without the time where it is midnight. */
export function day(text: string, now?: string): string {
  const d = exactly(text);
  return isValid(d) && atMidnight(text) ? format(d, dateForm(text, now)) : written(d, text, now);
}

/** The last day, minute or second of a span whose end is exclusive: "Sun 29 Nov" for the start of Monday. */
export function through(text: string, now?: string): string {
  const d = exactly(text);
  if (!isValid(d)) return text;
  const last = before(d);
  return atMidnight(text) ? day(format(last, "yyyy-MM-dd'T00:00'"), now) : written(last, wallText(last), now);
}

/** What people type for the end of a window (its last day or minute) from the exclusive end, and back. */
export function lastOf(to: string): { date: string; time: string } {
  if (!to) return { date: "", time: "" };
  const d = exactly(to);
  if (!isValid(d)) return { date: to.slice(0, 10), time: "" };
  const last = before(d);
  return { date: format(last, "yyyy-MM-dd"), time: atMidnight(to) ? "" : wallText(last).slice(11) };
}

export function endAfter(date: string, time: string): string {
  if (!date) return "";
  const d = exactly(`${date}T${time || "00:00"}`);
  if (!isValid(d) || !/^\d{4}-\d{2}-\d{2}$/.test(date)) return `${date}T${time || "00:00"}`; // the core says what is wrong with it
  return wallText(!time ? addDays(d, 1) : time.length > 5 ? addSeconds(d, 1) : addMinutes(d, 1));
}

export const errorText = (e: unknown) => (e instanceof Error ? e.message : "Something went wrong.");
