/** How amounts and moments are written on screen: a preference of whoever sits before it, kept in the browser. */
export interface Writing {
  /** Before the decimals, and between thousands. */
  numbers: "1 234.56" | "1.234,56" | "1,234.56";
  /** The order of a date, and the hours of a day. */
  dates: "day" | "month" | "year";
  hours: 24 | 12;
}

const fallback: Writing = { numbers: "1 234.56", dates: "day", hours: 24 };
const key = "dogbane-writing";

function kept(): Writing {
  try {
    const value = JSON.parse(localStorage.getItem(key) ?? "{}") as Partial<Record<keyof Writing, unknown>>;
    return {
      numbers: value.numbers === "1.234,56" || value.numbers === "1,234.56" ? value.numbers : fallback.numbers,
      dates: value.dates === "month" || value.dates === "year" ? value.dates : fallback.dates,
      hours: value.hours === 12 ? 12 : 24,
    };
  } catch {
    return fallback;
  }
}

let current = typeof localStorage === "undefined" ? fallback : kept();
const listeners = new Set<() => void>();

export const writing = () => current;

export function setWriting(next: Writing) {
  current = next;
  localStorage.setItem(key, JSON.stringify(next));
  for (const tell of listeners) tell();
}

export function onWriting(tell: () => void) {
  listeners.add(tell);
  return () => void listeners.delete(tell);
}

/** The marks of numbers: between thousands and before the decimals. */
export const marks = (): [group: string, decimal: string] =>
  current.numbers === "1.234,56" ? [".", ","] : current.numbers === "1,234.56" ? [",", "."] : ["\u202f", "."];

/** A plain decimal as it stands in a field, with the mark that is used here. */
export const inField = (plain: string) => plain.replace(".", marks()[1]);
