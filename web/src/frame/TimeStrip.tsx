import { scaleLinear } from "d3-scale";
import { addDays, differenceInMinutes, format, startOfDay } from "date-fns";
import { Slider } from "radix-ui";
import { useRef } from "react";
import { useChanges } from "../api/calendar";
import { useWidth } from "../lib/charts";
import { moment, wall } from "../lib/format";
import { Tip } from "../ui/tip";

const days = 45;
const before = 5;
const dateWidth = 48;

/** A thin axis with a mark at each moment when prices may change. Arrow keys go from change to change. */
export function TimeStrip({ at, now, onChange }: { at: string; now: string; onChange: (moment: string) => void }) {
  const { data } = useChanges();
  const first = addDays(startOfDay(wall(now)), -before);
  const minutes = (text: string) => differenceInMinutes(wall(text), first);
  const x = scaleLinear([0, days * 1440], [0, 100]);
  const moments = [...new Set([...(data?.moments ?? []), now])].sort();
  const step = (direction: 1 | -1) => {
    const next = direction > 0 ? moments.find((m) => m > at) : moments.findLast((m) => m < at);
    if (next) onChange(next);
  };
  const nearest = (to: number) =>
    moments.reduce((a, b) => (Math.abs(minutes(b) - to) < Math.abs(minutes(a) - to) ? b : a), now);
  const mondays = Array.from({ length: days }, (_, i) => addDays(first, i)).filter((d) => d.getDay() === 1);
  // A date wants so many pixels: where there are fewer, only every second Monday is named, or every third.
  const strip = useRef<HTMLSpanElement>(null);
  const width = useWidth(strip);
  const every = Math.max(1, Math.ceil((dateWidth * mondays.length) / Math.max(width, 1)));
  const here = minutes(at);
  const inSight = here >= 0 && here <= days * 1440;
  return (
    <Tip text="Click near a mark, or use the arrow keys, to go to a price change">
      <Slider.Root
        min={0}
        max={days * 1440}
        value={[Math.min(Math.max(here, 0), days * 1440)]}
        ref={strip}
        className="relative h-9 min-w-0 flex-1 cursor-pointer touch-none select-none max-[1180px]:ml-4 max-[1180px]:inline-block max-[1180px]:w-[300px] max-[1180px]:align-middle"
        onValueChange={([to]) => {
          const moment = nearest(to ?? 0);
          if (moment !== at) onChange(moment);
        }}
        onKeyDownCapture={(e) => {
          // From change to change, not from minute to minute.
          if (e.key !== "ArrowRight" && e.key !== "ArrowLeft") return;
          e.preventDefault();
          e.stopPropagation();
          step(e.key === "ArrowRight" ? 1 : -1);
        }}
      >
        <svg className="absolute inset-0 h-full w-full overflow-visible" aria-hidden>
          <line x1="0" x2="100%" y1="15" y2="15" stroke="var(--line)" strokeWidth="1.5" />
          {mondays.map((d, i) => {
            const left = `${x(differenceInMinutes(d, first))}%`;
            return (
              <g key={d.toISOString()}>
                <line x1={left} x2={left} y1="12" y2="18" stroke="var(--quiet)" />
                {i % every === 0 && (
                  <text x={left} y="31" fontSize="11" fill="var(--quiet)" textAnchor="middle">
                    {format(d, "d MMM")}
                  </text>
                )}
              </g>
            );
          })}
          <line
            x1={`${x(minutes(now))}%`}
            x2={`${x(minutes(now))}%`}
            y1="4"
            y2="26"
            stroke="var(--ink)"
            strokeDasharray="2 2"
          />
          {moments
            .filter((m) => m !== now && minutes(m) >= 0 && minutes(m) <= days * 1440)
            .map((m) => (
              <rect
                key={m}
                x={`${x(minutes(m))}%`}
                y="9"
                width="3"
                height="12"
                fill="var(--ink)"
                transform="translate(-1.5)"
              >
                <title>{moment(m, now)}</title>
              </rect>
            ))}
        </svg>
        <Slider.Thumb
          aria-label="Next and earlier price changes"
          aria-valuetext={moment(at, now)}
          className={`mt-[9px] block size-3 rounded-full border-2 border-ink bg-paper focus-visible:outline-2 focus-visible:outline-focus ${inSight ? "" : "opacity-0"}`}
        />
      </Slider.Root>
    </Tip>
  );
}
