import {
  addDays,
  addMinutes,
  addMonths,
  differenceInMinutes,
  format,
  startOfDay,
  startOfMonth,
  startOfWeek,
} from "date-fns";
import { zooms } from "../../lib/address";
import type { Rule } from "../../api/client";
import { wall, wallText } from "../../lib/format";

export type Zoom = (typeof zooms)[number];
export { zooms };

/** The span that a zoom shows around a moment, as wall-clock texts. */
export function spanAround(zoom: Zoom, at: string): { from: string; to: string } {
  const d = wall(at);
  const month = startOfMonth(d);
  const week = startOfWeek(d, { weekStartsOn: 1 });
  const spans: Record<Zoom, [Date, Date]> = {
    day: [startOfDay(d), addDays(startOfDay(d), 1)],
    week: [week, addDays(week, 7)],
    month: [addDays(startOfDay(d), -7), addDays(startOfDay(d), 28)],
    quarter: [
      startOfWeek(addDays(d, -21), { weekStartsOn: 1 }),
      addDays(startOfWeek(addDays(d, -21), { weekStartsOn: 1 }), 91),
    ],
    year: [addMonths(month, -2), addMonths(month, 10)],
  };
  const [from, to] = spans[zoom];
  return { from: wallText(from), to: wallText(to) };
}

/** The moment that stands in the middle of the next span, or of the one before. */
export function stepped(zoom: Zoom, at: string, direction: 1 | -1): string {
  const d = wall(at);
  const days: Record<Zoom, number> = { day: 1, week: 7, month: 14, quarter: 35, year: 182 };
  return wallText(addDays(d, direction * days[zoom]));
}

/** How far apart the places are to which a dragged end jumps, in minutes. */
export const snap: Record<Zoom, number> = { day: 15, week: 60, month: 1440, quarter: 1440, year: 1440 };

export interface Scale {
  from: string;
  to: string;
  zoom: Zoom;
  /** Where a moment lies, from 0 to 1; outside the span it is held at its ends. */
  at: (moment: string) => number;
  /** A moment so many minutes later, held to the places where an end may stand. */
  moved: (moment: string, share: number) => string;
}

export function scaleOf(from: string, to: string, zoom: Zoom): Scale {
  const begin = wall(from);
  const minutes = Math.max(1, differenceInMinutes(wall(to), begin));
  return {
    from,
    to,
    zoom,
    at: (moment) => Math.min(1, Math.max(0, differenceInMinutes(wall(moment), begin) / minutes)),
    moved: (moment, share) => {
      const step = snap[zoom];
      return wallText(addMinutes(wall(moment), Math.round((share * minutes) / step) * step));
    },
  };
}

export interface Tick {
  at: string;
  label: string;
  /** What stands above it: the week, the month or the year that begins. */
  above: string;
}

/** The marks of the axis. */
export function ticks(s: Scale): Tick[] {
  const list: Tick[] = [];
  const end = wall(s.to);
  const begin = wall(s.from);
  const put = (d: Date, label: string, above = "") =>
    list.push({ at: wallText(d), label: format(d, label), above: above && format(d, above) });
  if (s.zoom === "day") {
    for (let h = 0; h < 24; h += 2) put(addMinutes(begin, h * 60), "HH:mm", h === 0 ? "EEE d MMM" : "");
  } else if (s.zoom === "year") {
    for (let d = startOfMonth(begin); d < end; d = addMonths(d, 1))
      if (d >= begin) put(d, "MMM", list.length === 0 || d.getMonth() === 0 ? "yyyy" : "");
  } else {
    let month = "";
    for (let d = begin; d < end; d = addDays(d, 1)) {
      const monday = d.getDay() === 1;
      if (s.zoom === "week") put(d, "EEE d", d.getTime() === begin.getTime() ? "MMMM" : "");
      else if (s.zoom === "month") put(d, "d", monday ? "EEE d MMM" : "");
      else if (monday) {
        put(d, "d", format(d, "MMM") === month ? "" : "MMMM");
        month = format(d, "MMM");
      }
    }
  }
  return list;
}

/** A moment of [from, to) at which a window is open by its weekdays and hours, if it has any; else from. */
export function openMoment(w: Rule["window"], from: string, to: string): string {
  if (!w?.days && !w?.hours) return from;
  const names = ["sun", "mon", "tue", "wed", "thu", "fri", "sat"] as const;
  const end = wall(to);
  for (let d = wall(from), n = 0; d < end && n < 15; n++) {
    const start = w.hours?.[0] ? wall(`${wallText(d).slice(0, 10)}T${w.hours[0]}`) : d;
    const day = names[d.getDay()] ?? "sun";
    if ((!w.days || w.days.includes(day)) && start >= wall(from) && start < end) return wallText(start);
    d = addDays(startOfDay(d), 1);
  }
  return from;
}

/** The first moment, from now on, at which a window that was moved is not what it was. */
export function firstDifference(
  w: Rule["window"],
  before: { from: string; to: string },
  after: { from: string; to: string },
  now: string,
): string {
  const ends: [string, string][] = [
    [before.from, after.from],
    [before.to, after.to],
  ];
  const gaps = ends
    .filter(([a, b]) => a !== b)
    .map(([a, b]): [string, string] => (a < b ? [a, b] : [b, a]))
    .sort(([a], [b]) => (a < b ? -1 : 1));
  const gap = gaps.find(([, end]) => end > now) ?? gaps[0];
  if (!gap) return now;
  const start = gap[0] > now || gap[1] <= now ? gap[0] : now;
  return openMoment(w, start || now, gap[1] || now);
}
