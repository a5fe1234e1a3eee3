import type { BrokenCheck, EditEffect } from "../api/client";
import { amount, count, moment } from "../lib/format";

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
          ? "A pinned price would no longer hold"
          : `${checks.length} pinned prices would no longer hold`}
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

/** What an unsaved change would do to the prices of every channel, and which checks it would break. */
export function EffectNote({ effect, busy, now }: { effect: EditEffect | undefined; busy: boolean; now?: string }) {
  if (!effect) return busy ? <p className="text-quiet">Working out what it would do …</p> : null;
  if (effect.errors.length > 0) return null;
  const moved = effect.prices.filter((c) => c.moved > 0);
  return (
    <div className={busy ? "opacity-60" : ""} data-testid="effect" aria-live="polite">
      {moved.length === 0 ? (
        <p className="text-quiet">
          No price moves{now && effect.at !== now ? ` on ${moment(effect.at, now)}` : " now"}.
        </p>
      ) : (
        <table className="text-[14px]">
          <tbody>
            {moved.map((c) => (
              <tr key={c.channel}>
                <td className="py-0.5 pr-4">{c.name}</td>
                <td className="pr-4 text-right font-medium">
                  {count(c.moved)} {c.moved === 1 ? "price moves" : "prices move"}
                </td>
                <td className="pr-4 text-quiet">
                  {c.marginBefore &&
                    c.marginAfter &&
                    `their margin ${amount(c.marginBefore)} % → ${amount(c.marginAfter)} %`}
                </td>
                <td className={c.newBelow > 0 ? "font-medium text-bad" : "text-quiet"}>
                  {c.newBelow > 0 ? `${count(c.newBelow)} come to lie below cost` : ""}
                  {c.cleared > 0 && ` ${count(c.cleared)} no longer below cost`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {moved.length > 0 && now && effect.at !== now && (
        <p className="text-[13px] text-quiet">as prices are on {moment(effect.at, now)}</p>
      )}
      <BrokenChecks checks={effect.checks} />
    </div>
  );
}
