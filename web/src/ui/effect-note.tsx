import type { EditImpact } from "../api/client";
import { BrokenChecks } from "./broken-checks";
import { useWhoNames } from "../lib/names";
import { amount, count, moment } from "../lib/format";

/** What an unsaved change would do to the prices of every channel, and which checks it would break. */
export function EffectNote({ effect, busy, now }: { effect: EditImpact | undefined; busy: boolean; now?: string }) {
  const names = useWhoNames();
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
        <ul className="space-y-0.5 text-[14px]">
          {moved.map((c) => (
            <li key={`${c.channel} ${c.who ?? ""} ${c.quantity}`} className="flex flex-wrap gap-x-4">
              <span className="min-w-28">
                {c.name}
                {c.who && ` for ${names(c.who)}`}
                {c.quantity > 1 && `, ${count(c.quantity)} pieces`}
              </span>
              <b className="font-medium">
                {count(c.moved)} {c.moved === 1 ? "price moves" : "prices move"}
              </b>
              {c.marginBefore && c.marginAfter && (
                <span className="text-quiet">
                  margin {amount(c.marginBefore)} % → {amount(c.marginAfter)} %
                </span>
              )}
              {c.newBelow > 0 && (
                <span className="font-medium text-bad">{count(c.newBelow)} come to lie below cost</span>
              )}
              {c.cleared > 0 && <span className="text-quiet">{count(c.cleared)} no longer below cost</span>}
            </li>
          ))}
        </ul>
      )}
      {moved.length > 0 && now && effect.at !== now && (
        <p className="text-[13px] text-quiet">as prices are on {moment(effect.at, now)}</p>
      )}
      <BrokenChecks checks={effect.checks} />
    </div>
  );
}
