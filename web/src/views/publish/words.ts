import type { Difference, PieceRow, Publication, StopRow } from "../../api/client";
import { amount, count } from "../../lib/format";
import { kindName } from "../../parts/flags/kinds";

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
  reference: "reduced from another price",
  details: "other breaks, groups or texts",
  again: "sent again",
};

/** For whom, and at which quantity, something is blocked. */
const forWhom = (s: StopRow) =>
  `${s.customer ? `customer ${s.customer}` : s.group ? `group ${s.group}` : "everybody"}${s.quantity > 1 ? `, ${count(s.quantity)} pieces` : ""}`;

/** What blocks a price or a deal, for whom, at which quantity and by how much. */
export function stopText(s: StopRow): string {
  const what = s.kind === "pinned-price" ? "Breaks a pinned price" : kindName(s.kind);
  if (s.kind === "pinned-price") return what;
  const money =
    s.left !== undefined && s.left.startsWith("-")
      ? `: ${amount(s.left.slice(1))} lost${s.kind === "offer-below-cost" ? "" : " a piece"}${s.price ? ` at ${amount(s.price)}` : ""}`
      : s.price
        ? `: ${amount(s.price)}`
        : "";
  return `${what} (${forWhom(s)})${money}`;
}

const detailNames: Record<string, string> = {
  ask: "has to be asked for",
  method: "how breaks count",
  order: "smallest order",
  reference: "reduced from",
  as: "shown as",
  perUnit: "per unit",
};

/** What else a line says otherwise than what is shown, in words. */
export const detailTexts = (row: Difference): string[] =>
  (row.details ?? []).map((d) => {
    const whose = d.group ? `${d.group}: ` : "";
    const from = d.what === "price" && (d.quantity ?? 1) > 1 ? `${count(d.quantity ?? 1)} or more ` : "";
    const name = d.what === "price" ? "" : `${detailNames[d.what] ?? d.what} `;
    return `${whose}${from}${name}${d.was || "–"} → ${d.is || "–"}`;
  });

/** Under which name the reason stands for sending what a piece changes later although it is blocked then. */
export const laterOf = (p: PieceRow) => `later ${p.piece}`;

/** What blocks the prices that a piece changes later. */
export const laterStops = (p: PieceRow): string[] =>
  p.later.flatMap((l) => (l.stopped ?? []).map((s) => `${s.sku}: ${s.blocked.map(stopText).join("; ")}`));
