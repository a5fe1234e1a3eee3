import type { PieceRow, Rule } from "../../api/client";
import type { DifferencesOf } from "../../api/publications";
import { count } from "../../lib/format";
import { joined } from "../../lib/sentence";
import { prices } from "../../lib/publications";

/** Which of the changed pieces somebody wants to send: all but those unticked, and of those held back the ones named. */
export interface Choice {
  unticked: ReadonlySet<string>;
  named: ReadonlySet<string>;
  /** Whether prices go that no chosen piece reaches. */
  loose: boolean;
}

export const everything: Choice = { unticked: new Set(), named: new Set(), loose: true };

/** The pieces as they are listed: products that an edit changed stand together, as that edit. */
export const listed = (pieces: PieceRow[]) => pieces.filter((p) => p.edit === undefined);

export const isTicked = (p: PieceRow, c: Choice) => (p.held ? c.named.has(p.piece) : !c.unticked.has(p.piece));

/** A choice after one piece was ticked or unticked. */
export function ticked(p: PieceRow, c: Choice, is: boolean): Choice {
  const flip = (set: ReadonlySet<string>, has: boolean) => {
    const next = new Set(set);
    if (has) next.add(p.piece);
    else next.delete(p.piece);
    return next;
  };
  return p.held ? { ...c, named: flip(c.named, is) } : { ...c, unticked: flip(c.unticked, !is) };
}

/** A choice after all pieces were ticked or unticked; those held back have to be named one by one. */
export const tickedAll = (pieces: PieceRow[], is: boolean): Choice => ({
  unticked: new Set(is ? [] : listed(pieces).flatMap((p) => (p.held ? [] : [p.piece]))),
  named: new Set(),
  loose: is,
});

/** The names of the chosen pieces; undefined: all that are not held back. */
export function chosenPieces(pieces: PieceRow[], c: Choice): string[] | undefined {
  const list = listed(pieces);
  const there = (set: ReadonlySet<string>) => list.some((p) => set.has(p.piece));
  if (!there(c.unticked) && !there(c.named)) return undefined;
  return list.flatMap((p) => (isTicked(p, c) ? [p.piece] : []));
}

/** How the differences are asked for, as if only the chosen pieces were sent. */
export function choiceQuery(c: Choice, pieces: PieceRow[]): Pick<DifferencesOf, "piece" | "without" | "loose"> {
  const chosen = chosenPieces(pieces, c);
  const loose = c.loose ? {} : { loose: "no" as const };
  if (chosen === undefined) return loose;
  if (c.named.size > 0 && chosen.length > 0) return { piece: chosen, ...loose };
  return { without: [...c.unticked], ...loose };
}

/** What a piece is, where no price says it. */
function noun(p: PieceRow, rules: ReadonlyMap<string, Rule>): [string, string] {
  const [kind, ...code] = p.piece.split(" ");
  const rule = kind === "rule" ? rules.get(code.join(" ")) : undefined;
  if (rule?.offer) return ["deal", "deals"];
  if (rule?.order) return ["order limit", "order limits"];
  if (p.later.length > 0) return ["planned change", "planned changes"];
  if (kind === "edit") return ["edit of products", "edits of products"];
  if (kind === "settings") return ["setting", "settings"];
  return [kind ?? "change", `${kind ?? "change"}s`];
}

/** What exactly is sent: "76 prices and 2 deals"; "": nothing. */
export function whatGoes(n: number, pieces: PieceRow[], rules: ReadonlyMap<string, Rule>): string {
  const parts = new Map<string, number>();
  const names = new Map<string, string>();
  for (const p of pieces) {
    if (p.lines > 0) continue;
    const [one, many] = noun(p, rules);
    parts.set(one, (parts.get(one) ?? 0) + 1);
    names.set(one, many);
  }
  return joined(
    [
      ...(n > 0 ? [prices(n)] : []),
      ...[...parts].map(([one, times]) => `${count(times)} ${times === 1 ? one : names.get(one)}`),
    ],
    "and",
  );
}
