import type { Difference } from "../../api/client";

/** What somebody wants to see, and send, of a channel's differences; "" narrows nothing. */
export interface ChangeFilter {
  kind: string;
  rule: string;
  category: string;
  q: string;
}

/** What was decided about a row that is not as all the others: the row itself, since its page may be gone. */
export interface Decision {
  row: Difference;
  reason: string;
  /** Undefined: as all the others. */
  out?: boolean | undefined;
}

/** Whether a row passes a filter; the program says the same of those that are not here. */
export function passes(row: Difference, f: ChangeFilter): boolean {
  const kind =
    f.kind === "" ||
    (f.kind === "blocked" ? row.blocked.length > 0 && !row.held : f.kind === "held" ? row.held : row.kind === f.kind);
  const text = `${row.name} ${row.sku}`.toLowerCase();
  return (
    kind &&
    (f.rule === "" || row.rules.includes(f.rule)) &&
    (f.category === "" || row.category === f.category || row.category.startsWith(f.category + "/")) &&
    f.q
      .toLowerCase()
      .split(/\s+/)
      .every((word) => text.includes(word))
  );
}

/** How many rows pass a filter. */
export interface Passing {
  total: number;
  blocked: number;
  held: number;
}

/**
 * What is sent: of those that pass, all or none, but for the single rows that were decided otherwise. What is held back
 * never is.
 */
export function chosen(of: Passing, all: boolean, decisions: Iterable<Decision>, filter: ChangeFilter) {
  let count = all ? of.total - of.held : 0;
  let undecided = all ? of.blocked : 0;
  const overrides: Record<string, string> = {};
  const out: string[] = [];
  const only: string[] = [];
  for (const d of decisions) {
    if (!passes(d.row, filter) || d.row.held) continue;
    const goes = d.out === undefined ? all : !d.out;
    const blocked = d.row.blocked.length > 0;
    if (all && !goes) {
      count--;
      if (blocked) undecided--;
      out.push(d.row.sku);
    }
    if (!all && goes) {
      count++;
      if (blocked) undecided++;
      only.push(d.row.sku);
    }
    if (goes && blocked && d.reason.trim() !== "") {
      undecided--;
      overrides[d.row.sku] = d.reason.trim();
    }
  }
  return { count, undecided, overrides, out, only };
}
