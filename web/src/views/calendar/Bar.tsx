import { useRef, useState } from "react";
import type { CalendarBar, CalendarConflict } from "../../api/client";
import { moment, through } from "../../lib/format";
import type { Scale } from "./scale";

export interface Ends {
  from: string;
  to: string;
}

interface Props {
  bar: CalendarBar;
  scale: Scale;
  colour: string;
  conflicts: CalendarConflict[];
  now: string;
  /** Where the window would be; null: where it is. */
  draft: Ends | null;
  chosen: boolean;
  may: boolean;
  onChoose: () => void;
  onDraft: (ends: Ends) => void;
  onKeep: () => void;
  onLeave: () => void;
}

type Grip = "from" | "to" | "both";

/** One window as a bar: its ends and the whole of it are dragged, or moved with the arrow keys. */
export function Bar({
  bar,
  scale,
  colour,
  conflicts,
  now,
  draft,
  chosen,
  may,
  onChoose,
  onDraft,
  onKeep,
  onLeave,
}: Props) {
  const track = useRef<HTMLDivElement>(null);
  const [begun, setBegun] = useState<{ grip: Grip; x: number; ends: Ends } | null>(null);
  const [dragging, setDragging] = useState(false);
  const ends = draft ?? { from: bar.from ?? "", to: bar.to ?? "" };
  const own = (bar.from ?? "") !== "" || (bar.to ?? "") !== "";
  const [first] = bar.spans;
  const last = bar.spans.at(-1);
  // Where a rule has no beginning or end of its own, its campaign or pattern says from when to when it is open.
  const left = ends.from ? scale.at(ends.from) : first ? scale.at(first.from) : 0;
  const right = ends.to ? scale.at(ends.to) : last ? scale.at(last.to) : own ? 1 : 0;
  if (right <= 0 || left >= 1 || right <= left)
    return chosen || draft ? <div ref={track} className="relative h-[24px]" /> : null;
  const movable = may && own;
  const shift = (grip: Grip, of: Ends, share: number) => {
    const next = { ...of };
    if (grip !== "to" && of.from) next.from = scale.moved(of.from, share);
    if (grip !== "from" && of.to) next.to = scale.moved(of.to, share);
    if (next.from && next.to && next.from >= next.to) return;
    onDraft(next);
  };
  const down = (grip: Grip) => (e: React.PointerEvent) => {
    if (!movable || e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    const pressed = e.currentTarget as HTMLElement;
    pressed.setPointerCapture(e.pointerId);
    pressed.closest<HTMLElement>("[role=button]")?.focus(); // the arrow keys go on where the mouse began
    setBegun({ grip, x: e.clientX, ends });
    onChoose();
  };
  const move = (e: React.PointerEvent) => {
    if (!begun) return;
    if (Math.abs(e.clientX - begun.x) > 2) setDragging(true);
    shift(begun.grip, begun.ends, (e.clientX - begun.x) / (track.current?.clientWidth ?? 1));
  };
  const up = () => {
    setBegun(null);
    setDragging(false);
  };
  const handlers = { onPointerMove: move, onPointerUp: up, onPointerCancel: up };
  const off = bar.status !== "on";
  const fine = scale.zoom !== "year";
  const words = `${ends.from ? `from ${moment(ends.from, now)}` : bar.campaign ? "from the beginning of its campaign" : "from the beginning"} ${ends.to ? `through ${through(ends.to, now)}` : bar.campaign ? "to the end of its campaign" : "without end"}`;
  const narrow = right - left < 0.12;
  return (
    <div ref={track} className="relative h-[24px]">
      <div
        role="button"
        tabIndex={0}
        aria-label={`${bar.name}, ${words}${off ? `, ${bar.status}` : ""}`}
        aria-pressed={chosen}
        data-bar={bar.code}
        className={`absolute top-[2px] h-[20px] overflow-hidden rounded-[2px] border text-left outline-offset-2 ${chosen ? "z-10 ring-2 ring-ink" : ""} ${off || !own ? "border-dashed" : ""} ${movable ? "cursor-grab" : ""} touch-none`}
        style={{
          left: `${left * 100}%`,
          width: `max(6px, ${(right - left) * 100}%)`,
          borderColor: colour,
          background: off
            ? "transparent"
            : bar.pattern || !own
              ? `color-mix(in srgb, ${colour} 22%, var(--sheet))`
              : colour,
        }}
        onClick={onChoose}
        onPointerDown={down("both")}
        {...handlers}
        onKeyDown={(e) => {
          if (e.key === "Escape") onLeave();
          else if (e.key === "Enter") {
            e.preventDefault();
            if (draft) onKeep();
            else onChoose();
          } else if (movable && (e.key === "ArrowLeft" || e.key === "ArrowRight")) {
            e.preventDefault();
            e.stopPropagation();
            onChoose();
            const step = { day: 1 / 96, week: 1 / 168, month: 1 / 35, quarter: 1 / 91, year: 1 / 365 }[scale.zoom];
            shift(e.shiftKey ? "to" : e.ctrlKey ? "from" : "both", ends, e.key === "ArrowLeft" ? -step : step);
          }
        }}
      >
        {!draft &&
          fine &&
          (bar.pattern || !own) &&
          !off &&
          bar.spans.map((s) => {
            const a = (scale.at(s.from) - left) / (right - left);
            const b = (scale.at(s.to) - left) / (right - left);
            return (
              <span
                key={s.from}
                className="absolute inset-y-0"
                style={{ left: `${a * 100}%`, width: `max(1px, ${(b - a) * 100}%)`, background: colour }}
              />
            );
          })}
        {!draft &&
          conflicts.flatMap((f) =>
            f.spans.map((s) => (
              <span
                key={f.a + f.b + s.from}
                className="absolute inset-x-0 bottom-0 h-[6px] bg-[repeating-linear-gradient(45deg,var(--bad)_0_3px,var(--paper)_3px_6px)]"
                style={{
                  left: `${((scale.at(s.from) - left) / (right - left)) * 100}%`,
                  width: `${((scale.at(s.to) - scale.at(s.from)) / (right - left)) * 100}%`,
                }}
              />
            )),
          )}
        {movable && ends.from && left > 0 && (
          <span
            className="absolute inset-y-0 left-0 w-2 cursor-ew-resize"
            data-grip="from"
            onPointerDown={down("from")}
            {...handlers}
          />
        )}
        {movable && ends.to && right < 1 && (
          <span
            className="absolute inset-y-0 right-0 w-2 cursor-ew-resize"
            data-grip="to"
            onPointerDown={down("to")}
            {...handlers}
          />
        )}
      </div>
      {(dragging || draft) && (
        <span
          className="pointer-events-none absolute -top-4 z-20 rounded-[2px] bg-ink px-1.5 text-[12px] whitespace-nowrap text-paper"
          style={narrow && left > 0.6 ? { right: `${(1 - right) * 100}%` } : { left: `${left * 100}%` }}
        >
          {words}
        </span>
      )}
    </div>
  );
}
