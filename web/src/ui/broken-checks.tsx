import type { BrokenCheck } from "../api/client";
import { amount } from "../lib/format";

/** Pinned prices that an unsaved change would break, before it is saved. */
export function BrokenChecks({ checks }: { checks: BrokenCheck[] }) {
  if (checks.length === 0) return null;
  return (
    <section
      aria-label="Checks that would break"
      className="mt-2 rounded-[4px] border border-bad/60 bg-badwash px-3 py-1.5"
    >
      <p className="font-medium text-bad">
        {checks.length === 1
          ? "A pinned price or basket would no longer hold"
          : `${checks.length} pinned prices or baskets would no longer hold`}
      </p>
      <ul>
        {checks.slice(0, 6).map((c) => (
          <li key={c.id}>
            {c.name}
            {c.problem && `: ${c.problem}`}
            {c.differences.slice(0, 2).map((d) => (
              <span key={d.what} className="text-quiet">
                {" "}
                · {d.what} {amount(d.want)} expected, {d.have === "null" ? "no price" : amount(d.have)} then
              </span>
            ))}
          </li>
        ))}
      </ul>
    </section>
  );
}
