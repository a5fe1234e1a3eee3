import { amount } from "./format";
import { readMoment } from "./moments";
import { marks } from "./writing";

/** What is meant by what was typed: a value, one of several that have to be told apart, or nothing that can be read. */
export type Reading = { value: string; says: string } | { either: { value: string; says: string }[] } | null;

const number = (plain: string) => ({ value: plain, says: amount(plain) });

/**
 * A number as people write it: 22,5; 1.234,56; 1 234.56; € 12.50; 15 %. Of two marks the last one parts the decimals. A
 * single one that three digits follow parts what it parts in the reader's own way of writing; where it is neither of
 * their marks, both are meant.
 */
export function readNumber(typed: string): Reading {
  const text = typed
    .replace(/[\s\u00a0\u202f'’_]/g, "")
    .replace(/^[\u2212–-]/, "-")
    .replace(/^(-?)\p{Sc}/u, "$1")
    .replace(/(\p{Sc}|%)$/u, "");
  if (!/^-?(\d[\d.,]*|[.,]\d+)$/.test(text)) return null;
  const used = [...new Set(text.replace(/[^.,]/g, ""))];
  const last = Math.max(text.lastIndexOf("."), text.lastIndexOf(","));
  const split = (at: number): string | null => {
    const [whole, decimals] = at < 0 ? [text, ""] : [text.slice(0, at), text.slice(at + 1)];
    const grouped = /[.,]/.test(whole);
    if (/[.,]/.test(decimals) || (grouped && !/^-?\d{1,3}([.,]\d{3})+$/.test(whole))) return null;
    const digits = whole.replace(/[.,]/g, "").replace(/^(-?)$/, "$10");
    return decimals === "" ? digits : `${digits}.${decimals}`;
  };
  const given = (plain: string | null): Reading => (plain === null ? null : number(plain));
  if (used.length === 0) return given(split(-1));
  if (used.length === 2) return given(split(last));
  const mark = used[0] ?? "";
  if (text.indexOf(mark) !== last) return given(split(-1)); // several: they part thousands
  const decimal = split(last);
  const thousands = /^-?[1-9]\d{0,2}[.,]\d{3}$/.test(text) ? split(-1) : null;
  const [group, point] = marks();
  if (thousands === null || mark === point) return given(decimal);
  if (mark === group) return given(thousands);
  return decimal === null ? given(thousands) : { either: [number(thousands), number(decimal)] };
}

/** A time of day as people write it, as the document has it: 9:00, 9.30, 18h, 6 pm, 0900, noon. */
export function readTime(typed: string): string | null {
  const text = typed.trim().toLowerCase().replace(/\s+/g, " ");
  if (text === "noon") return "12:00";
  if (text === "midnight" || text === "24:00") return "00:00";
  const m =
    /^(\d{1,2})[:.h](\d{2})?(?::(\d{2}))? ?(?:h|uhr|([ap])\.?m\.?)?$/.exec(text) ??
    /^(\d{1,2})() ?()(?:uhr|([ap])\.?m\.?)$/.exec(text) ??
    /^(\d{2})(\d{2})()()$/.exec(text);
  if (!m) return null;
  const half = m[4];
  const hour = Number(m[1]);
  if (half && (hour < 1 || hour > 12)) return null;
  const hours = half ? (hour % 12) + (half === "p" ? 12 : 0) : hour;
  const [minutes, seconds] = [m[2] || "00", m[3] || ""];
  if (hours > 23 || Number(minutes) > 59 || Number(seconds) > 59) return null;
  return `${String(hours).padStart(2, "0")}:${minutes}${seconds && seconds !== "00" ? `:${seconds}` : ""}`;
}

/** A day as people write it, and the time of day where they wrote one: 26.12.2026; 27 nov; tomorrow; mon 9:00; +2w. */
export function readDay(typed: string, shown: string, now: string): { date: string; time: string } | null {
  const text = typed.trim();
  const meant = text === "" ? null : readMoment(text, `${shown || now.slice(0, 10)}T00:00`, now);
  // A time alone says no day.
  if (meant === null || readTime(text) !== null) return null;
  const time = meant.slice(11);
  return { date: meant.slice(0, 10), time: time === "00:00" ? "" : time };
}

/** A whole number as people write it: 1 000; 1.000. */
export function readWhole(typed: string): string | null {
  const r = readNumber(typed);
  const all = r === null ? [] : "either" in r ? r.either : [r];
  return all.find(({ value }) => /^\d+$/.test(value))?.value ?? null;
}

/** A day of each year, as the document has it: 03-01; 1 mar; 1.3. */
export function readMonthDay(typed: string): string | null {
  const text = typed.trim();
  if (/^\d{2}-\d{2}$/.test(text)) return text;
  // A leap year, so that the 29th of February is one of its days.
  const meant = readMoment(text, "2028-01-01T00:00", "2028-01-01T00:00");
  return meant?.startsWith("2028") && meant.endsWith("T00:00") && /\d/.test(text) && !/^[+-]/.test(text)
    ? meant.slice(5, 10)
    : null;
}

/** A length of time in minutes: 30m; 2 h; 1:30; 1 day; off, which is none. A plain number counts in the unit given. */
export function readDuration(typed: string, unit: "m" | "h" | "d" = "m"): number | null {
  const text = typed.trim().toLowerCase();
  if (["off", "none", "no", "never"].includes(text)) return 0;
  const clock = /^(\d{1,3}):(\d{2})$/.exec(text);
  if (clock) return Number(clock[2]) < 60 ? Number(clock[1]) * 60 + Number(clock[2]) : null;
  const minutes = { m: 1, h: 60, d: 1440, w: 10080 };
  let total = 0;
  let rest = text;
  while (rest !== "") {
    const m = /^(\d+(?:[.,]\d+)?) ?(minutes?|mins?|m|hours?|hrs?|h|days?|d|weeks?|w)?(?: |$)?/.exec(rest);
    if (!m || m[0] === "") return null;
    total += Number((m[1] ?? "").replace(",", ".")) * minutes[(m[2]?.[0] ?? unit) as keyof typeof minutes];
    rest = rest.slice(m[0].length);
  }
  return text === "" || !Number.isInteger(total) ? null : total;
}
