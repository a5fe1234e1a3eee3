import type { Publication } from "../../api/client";
import { count } from "../../lib/format";

/** What a publication's state is called. */
export const stateWords: Record<Publication["state"], string> = {
  prepared: "prepared",
  waiting: "waits for a second person",
  queued: "about to be sent",
  sending: "sending",
  done: "all taken",
  partly: "partly taken",
  failed: "nothing taken",
  refused: "refused",
  dropped: "dropped",
};

/** Why there is a publication. */
export const kindWords: Record<Publication["kind"], string> = {
  "by-hand": "by hand",
  due: "by itself",
  "take-back": "takes back",
  rest: "the rest of",
};

/** What kinds of differences are called. */
export const differenceWords: Record<string, string> = {
  down: "down",
  up: "up",
  new: "new",
  gone: "gone",
  reference: "reference only",
  details: "details only",
  again: "sent again",
};

export const prices = (n: number) => `${count(n)} ${n === 1 ? "price" : "prices"}`;

/** How many lines a publication has, and what became of those that were not taken. */
export function lineCounts(p: Publication): string {
  const parts = [prices(p.lines)];
  if (p.planned) parts.push(`${prices(p.planned)} planned for later`);
  if (p.rules > 0) parts.push(`${count(p.rules)} ${p.rules === 1 ? "rule" : "rules"}`);
  if (p.refused > 0) parts.push(`${count(p.refused)} refused`);
  if (p.unanswered > 0) parts.push(`${count(p.unanswered)} unanswered`);
  if (p.leftOut > 0) parts.push(`${count(p.leftOut)} left out`);
  return parts.join(", ");
}
