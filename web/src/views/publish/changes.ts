import type { Difference } from "../../api/client";

/** What somebody wants to see of a channel's differences; "" narrows nothing. It changes nothing of what is sent. */
export interface ChangeFilter {
  kind: string;
  rule: string;
  category: string;
  q: string;
  reach: string;
}

/** What was decided about a row that is not as all the others: the row itself, since its page may be gone. */
export interface Decision {
  row: Difference;
  reason: string;
  /** Whether it is sent; undefined: as all the others. */
  goes?: boolean | undefined;
  /** Left out from now on, not this time alone. */
  leaveOut?: boolean | undefined;
}

/** What there is to send. */
export interface Sendable {
  going: number;
  blocked: number;
}

/**
 * What is sent: all rows or none, but for the single rows that were decided otherwise. What is held back or left out
 * never is. A blocked row is undecided until it has a reason, is unticked or left out, or all blocked ones are left out.
 */
export function chosen(of: Sendable, all: boolean, decisions: Iterable<Decision>, leaveOutBlocked: boolean) {
  let count = all ? of.going : 0;
  let undecided = all ? of.blocked : 0;
  const overrides: Record<string, string> = {};
  const leaveOut: string[] = [];
  const without: string[] = [];
  const only: string[] = [];
  for (const d of decisions) {
    if (d.row.held || d.row.leftOut) continue;
    const goes = d.leaveOut ? false : (d.goes ?? all);
    const blocked = d.row.blocked.length > 0;
    if (all && !goes) {
      count--;
      if (blocked) undecided--;
      if (d.leaveOut) leaveOut.push(d.row.sku);
      else without.push(d.row.sku);
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
  if (leaveOutBlocked) {
    count -= undecided;
    undecided = 0;
  }
  return { count, undecided, overrides, leaveOut, without, only };
}
