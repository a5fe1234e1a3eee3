import { Link } from "react-router";
import type { Difference } from "../../api/client";
import { amount, signed } from "../../lib/format";
import { detailTexts, stopText } from "./words";

interface Props {
  row: Difference;
  top: number;
  /** Why it is sent although it is blocked. */
  reason: string;
  /** Whether it is sent, and whether it is left out from now on. */
  goes: boolean;
  leaveOut: boolean;
  /** Whether rows can be chosen, and blocked prices sent for a reason. */
  mayChoose: boolean;
  mayOverride: boolean;
  onDecide: (d: { reason: string; goes: boolean; leaveOut: boolean }) => void;
  /** Lets go of a line that is held back or left out. */
  onRelease?: () => void;
}

const kindWords: Record<string, string> = {
  new: "new",
  gone: "taken off",
  reference: "reduced from",
  details: "",
  again: "sent again",
};

/** One product whose price in the channel would change. */
export function DifferenceLine({
  row,
  top,
  reason,
  goes,
  leaveOut,
  mayChoose,
  mayOverride,
  onDecide,
  onRelease,
}: Props) {
  const kept = row.held || row.leftOut;
  const out = kept || !goes;
  const blocked = row.blocked.length > 0 && !kept;
  const details = detailTexts(row);
  const worst = row.blocked[0];
  return (
    <div
      data-sku={row.sku}
      style={{ transform: `translateY(${top}px)`, height: 40 }}
      className={`absolute inset-x-0 top-0 flex items-center gap-3 border-b pr-4 pl-4 ${blocked && !out ? "bg-badwash/60" : ""} ${out ? "text-quiet" : ""}`}
    >
      {mayChoose && (
        <input
          type="checkbox"
          className="accent-ink"
          aria-label={`Send ${row.sku}`}
          checked={!out}
          disabled={kept}
          onChange={(e) => onDecide({ reason, goes: e.target.checked, leaveOut: false })}
        />
      )}
      <div className="min-w-0 flex-1 leading-tight">
        <Link
          to={`/board?${new URLSearchParams({ q: row.sku, sku: row.sku, trail: "open" }).toString()}`}
          className="block truncate underline-offset-2 hover:underline"
        >
          {row.name || row.sku}
        </Link>
        <span className="block truncate text-[12px] text-quiet" title={details.join("\n")}>
          {row.sku}
          {details.length > 0 && <span data-testid="details"> · {details.join(" · ")}</span>}
        </span>
      </div>
      <span className="w-[70px] text-right">{amount(row.was)}</span>
      <span className="w-[76px] text-right text-[15px] font-semibold">{amount(row.price)}</span>
      <span className="w-[70px] text-right">
        {row.change && kindWords[row.kind] === undefined ? (
          signed(row.change)
        ) : (
          <span className="text-quiet">{kindWords[row.kind] ?? ""}</span>
        )}
      </span>
      <span className="w-[70px] text-right @max-[1000px]:hidden">
        {row.reference ? amount(row.reference) : <span className="text-quiet">–</span>}
      </span>
      <span className={`w-[64px] text-right ${blocked ? "font-semibold text-bad" : ""}`}>
        {amount(row.marginAmount)}
      </span>
      <div className="flex w-[270px] items-center gap-2 @max-[1100px]:w-[220px] @max-[760px]:w-[150px]">
        {kept && (
          <>
            <span className="text-quiet">
              {row.held ? "held back: it was taken back" : "left out until it changes"}
            </span>
            {mayChoose && onRelease && (
              <button type="button" className="underline underline-offset-2" onClick={onRelease}>
                Release
              </button>
            )}
          </>
        )}
        {blocked && worst && (
          <div className="min-w-0 flex-1 leading-tight">
            <Link
              to={`/flags?${new URLSearchParams({ kind: worst.kind, q: row.sku }).toString()}`}
              title={row.blocked.map(stopText).join("\n")}
              className="block truncate text-[12px] font-medium text-bad underline-offset-2 hover:underline"
            >
              {stopText(worst)}
            </Link>
            <span className="flex items-center gap-1.5">
              <input
                aria-label={`Reason for sending ${row.sku} although it is blocked`}
                placeholder={mayOverride ? "send, because …" : "an approver may send it"}
                className="field h-[18px] w-full min-w-0 text-[12px] disabled:opacity-50"
                maxLength={500}
                disabled={out || !mayOverride}
                value={reason}
                onChange={(e) => onDecide({ reason: e.target.value, goes: true, leaveOut: false })}
              />
              {mayChoose && (
                <label className="flex items-center gap-1 text-[12px] whitespace-nowrap">
                  <input
                    type="checkbox"
                    className="accent-ink"
                    checked={leaveOut}
                    onChange={(e) => onDecide({ reason, goes: !e.target.checked, leaveOut: e.target.checked })}
                    aria-label={`Leave out ${row.sku}`}
                  />
                  leave out
                </label>
              )}
            </span>
          </div>
        )}
      </div>
    </div>
  );
}
