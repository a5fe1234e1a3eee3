import type { Publication } from "../api/client";
import { count } from "./format";

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

export const prices = (n: number) => `${count(n)} ${n === 1 ? "price" : "prices"}`;

/** How many lines a publication has, and what became of those that were not taken. */
export function lineCounts(p: Publication): string {
  const parts = [prices(p.lines)];
  const quiet = (p.pieces ?? []).length;
  if (p.lines === 0 && quiet > 0)
    parts.splice(0, 1, `${count(quiet)} ${quiet === 1 ? "change" : "changes"} without a price now`);
  if (p.rules > 0) parts.push(`${count(p.rules)} ${p.rules === 1 ? "rule" : "rules"}`);
  if (p.refused > 0) parts.push(`${count(p.refused)} refused`);
  if (p.unanswered > 0) parts.push(`${count(p.unanswered)} unanswered`);
  if (p.leftOut > 0) parts.push(`${count(p.leftOut)} left out`);
  return parts.join(", ");
}
