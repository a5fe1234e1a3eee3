import { addDays, addMinutes, format, isValid, parse } from "date-fns";
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

/** For drawing and comparing only; what is shown is always the text. */
export const approx = (text: string | null | undefined) => (text === null || text === undefined ? NaN : Number(text));

const wallFormat = "yyyy-MM-dd'T'HH:mm";

/** A wall-clock text as a Date whose local fields read the same; only for showing. */
export const wall = (text: string) => parse(text.slice(0, 16), wallFormat, new Date(2000, 0, 1));

export const wallText = (d: Date) => format(d, wallFormat);

const clock = () => (writing().hours === 12 ? "h:mm a" : "HH:mm");

/** The form of a date: the year only where it is not this one, unless it comes first. */
function dateForm(text: string, now?: string): string {
  const other = now && text.slice(0, 4) !== now.slice(0, 4);
  if (writing().dates === "year") return "EEE yyyy-MM-dd";
  if (writing().dates === "month") return other ? "EEE MMM d, yyyy" : "EEE MMM d";
  return other ? "EEE d MMM yyyy" : "EEE d MMM";
}

/** "Fri 27 Nov 09:00"; the year where it is not this one. */
export function moment(text: string, now?: string): string {
  const d = wall(text);
  return isValid(d) ? format(d, `${dateForm(text, now)} ${clock()}`) : text;
}

/** The same without the time where it is midnight. */
export function day(text: string, now?: string): string {
  const d = wall(text);
  return isValid(d) && text.slice(11, 16) === "00:00" ? format(d, dateForm(text, now)) : moment(text, now);
}

/** The last day or minute of a span whose end is exclusive: "Sun 29 Nov" for the start of Monday. */
export function through(text: string, now?: string): string {
  const d = wall(text);
  if (!isValid(d)) return text;
  const last = addMinutes(d, -1);
  return text.slice(11, 16) === "00:00" ? day(format(last, "yyyy-MM-dd'T00:00'"), now) : moment(wallText(last), now);
}

/** What people type for the end of a window (its last day or minute) from the exclusive end, and back. */
export function lastOf(to: string): { date: string; time: string } {
  if (!to) return { date: "", time: "" };
  const d = wall(to);
  if (!isValid(d)) return { date: to.slice(0, 10), time: "" };
  const last = addMinutes(d, -1);
  return { date: format(last, "yyyy-MM-dd"), time: to.slice(11, 16) === "00:00" ? "" : format(last, "HH:mm") };
}

export function endAfter(date: string, time: string): string {
  if (!date) return "";
  const d = parse(`${date}T${time || "00:00"}`, wallFormat, new Date(2000, 0, 1));
  if (!isValid(d) || !/^\d{4}-\d{2}-\d{2}$/.test(date)) return `${date}T${time || "00:00"}`; // the core says what is wrong with it
  return wallText(time ? addMinutes(d, 1) : addDays(d, 1));
}

export const errorText = (e: unknown) => (e instanceof Error ? e.message : "Something went wrong.");
