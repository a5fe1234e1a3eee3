import { useState } from "react";
import { moment } from "../lib/format";
import { readMoment } from "../lib/moments";
import { Tip } from "./tip";

/** Reads as "Fri 27 Nov 09:00", and takes that and other usual forms. */
export function MomentField({
  label,
  at,
  now,
  onChange,
  look = "blank w-[156px]",
}: {
  label: string;
  /** "" where none is chosen yet. */
  at: string;
  now: string;
  onChange: (at: string) => void;
  look?: string;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const meant = typed === null ? null : readMoment(typed, at || now, now);
  const bad = typed !== null && meant === null && (typed.trim() !== "" || at !== "");
  const shown = at === "" ? "" : moment(at, now);
  const commit = () => {
    if (bad) return; // it stays to be mended
    if (meant !== null && meant !== at) onChange(meant);
    setTyped(null);
  };
  return (
    <span className="relative inline-block">
      <Tip text="A date and a time as you write them; or now, tomorrow, fri 18:00, +7 days, +2w, -3h">
        <input
          aria-label={label}
          className={look}
          aria-invalid={bad}
          value={typed ?? shown}
          placeholder={`such as ${moment(now, now)}`}
          onFocus={(e) => {
            setTyped(typed ?? shown);
            requestAnimationFrame(() => e.target.select());
          }}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={commit}
          onKeyDown={(e) => {
            if (e.key === "Enter" && !bad) e.currentTarget.blur();
            if (e.key === "Escape") setTyped(null);
          }}
        />
      </Tip>
      {bad && (
        <span
          role="alert"
          className="absolute top-full left-0 z-30 rounded-[3px] bg-bad px-2 text-[13px] leading-6 whitespace-nowrap text-paper"
        >
          No such moment. Write it like {moment(now, now)}, 2026-11-27 09:00, tomorrow, fri 18:00 or +7.
        </span>
      )}
    </span>
  );
}
