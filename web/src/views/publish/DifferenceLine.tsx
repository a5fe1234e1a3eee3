import { kindName } from "../../parts/flags/kinds";
import { Link } from "react-router";
import type { Difference } from "../../api/client";
import { amount, signed } from "../../lib/format";

interface Props {
  row: Difference;
  top: number;
  /** Why it is sent although it is blocked. */
  reason: string;
  leaveOut: boolean;
  /** Whether rows can be left out, and prices below cost sent for a reason. */
  mayChoose: boolean;
  mayOverride: boolean;
  onDecide: (d: { reason: string; leaveOut: boolean }) => void;
  /** Lets go of a line that is held back. */
  onRelease?: () => void;
}

/** What blocks a line, in few words. */
const stopWords = (kinds: string[]) =>
  kinds[0] === "pinned-price" ? "breaks a pinned price" : kindName(kinds[0] ?? "").toLowerCase();

const kindWords: Record<string, string> = {
  new: "new",
  gone: "taken off",
  reference: "reference only",
  details: "details only",
  again: "sent again",
};

/** One product whose price in the channel would change. */
export function DifferenceLine({ row, top, reason, leaveOut, mayChoose, mayOverride, onDecide, onRelease }: Props) {
  const out = row.held || leaveOut;
  const blocked = row.blocked.length > 0 && !row.held;
  return (
    <div
      data-sku={row.sku}
      style={{ transform: `translateY(${top}px)`, height: 40 }}
      className={`absolute inset-x-0 top-0 flex items-center gap-4 border-b pr-6 @max-[1000px]:gap-2.5 pl-5 ${blocked && !out ? "bg-badwash/60" : ""} ${out ? "text-quiet" : ""}`}
    >
      {mayChoose && (
        <input
          type="checkbox"
          className="accent-ink"
          aria-label={`Send ${row.sku}`}
          checked={!out}
          disabled={row.held}
          onChange={(e) => onDecide({ reason, leaveOut: !e.target.checked })}
        />
      )}
      <div className="min-w-0 flex-1 leading-tight">
        <Link
          to={`/board?${new URLSearchParams({ q: row.sku, sku: row.sku, trail: "open" }).toString()}`}
          className="block truncate underline-offset-2 hover:underline"
        >
          {row.name || row.sku}
        </Link>
        <span className="block truncate text-[12px] text-quiet">{row.sku}</span>
      </div>
      <span className="w-20 text-right">{amount(row.was)}</span>
      <span className="w-20 text-right text-[15px] font-semibold">{amount(row.price)}</span>
      <span className="w-20 text-right">
        {row.change && !kindWords[row.kind] ? (
          signed(row.change)
        ) : (
          <span className="text-quiet">{kindWords[row.kind] ?? ""}</span>
        )}
      </span>
      <span className="w-24 text-right @max-[1000px]:hidden">
        {row.reference ? amount(row.reference) : <span className="text-quiet">–</span>}
      </span>
      <span className={`w-20 text-right ${blocked ? "font-semibold text-bad" : ""}`}>{amount(row.marginAmount)}</span>
      <div className="flex w-[330px] items-center @max-[1000px]:w-[240px] gap-2">
        {row.held && (
          <>
            <span className="text-quiet">held back: it was taken back</span>
            {mayChoose && onRelease && (
              <button type="button" className="underline underline-offset-2" onClick={onRelease}>
                Release
              </button>
            )}
          </>
        )}
        {blocked && (
          <>
            <span className="rounded-[3px] bg-bad px-1.5 py-px text-[12px] font-medium whitespace-nowrap text-paper">
              {stopWords(row.blocked)}
            </span>
            <input
              aria-label={`Reason for sending ${row.sku} although it is blocked`}
              placeholder={mayOverride ? "send all the same, because …" : "only an approver may send it"}
              className="field w-full min-w-0 disabled:opacity-50"
              maxLength={500}
              disabled={out || !mayOverride}
              value={reason}
              onChange={(e) => onDecide({ reason: e.target.value, leaveOut: false })}
            />
            {mayChoose && (
              <label className="flex items-center gap-1 whitespace-nowrap @max-[1000px]:hidden">
                <input
                  type="checkbox"
                  className="accent-ink"
                  checked={out}
                  onChange={(e) => onDecide({ reason, leaveOut: e.target.checked })}
                  aria-label={`Leave out ${row.sku}`}
                />
                leave out
              </label>
            )}
          </>
        )}
      </div>
    </div>
  );
}
