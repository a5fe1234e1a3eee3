import { addDays, differenceInMinutes, format, startOfDay } from "date-fns";
import { useRef } from "react";
import { useChanges } from "../../api/queries";
import { moment, wall } from "../../lib/format";

const days = 45;
const before = 5;

/** A thin axis with a mark at each moment when prices may change. Arrow keys go from change to change. */
export function TimeStrip({ at, now, onChange }: { at: string; now: string; onChange: (moment: string) => void }) {
  const { data } = useChanges();
  const svg = useRef<SVGSVGElement>(null);
  const first = addDays(startOfDay(wall(now)), -before);
  const x = (text: string) => (differenceInMinutes(wall(text), first) / (days * 1440)) * 100;
  const moments = [...new Set([...(data?.moments ?? []), now])].sort();
  const step = (way: 1 | -1) => {
    const next = way > 0 ? moments.find((m) => m > at) : moments.findLast((m) => m < at);
    if (next) onChange(next);
  };
  const nearest = (clientX: number) => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return;
    const share = ((clientX - box.left) / box.width) * 100;
    const best = moments.reduce((a, b) => (Math.abs(x(b) - share) < Math.abs(x(a) - share) ? b : a), now);
    onChange(best);
  };
  const mondays = Array.from({ length: days }, (_, i) => addDays(first, i)).filter((d) => d.getDay() === 1);
  const index = moments.indexOf(at);
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label="Next and earlier price changes"
      aria-valuemin={0}
      aria-valuemax={moments.length - 1}
      aria-valuenow={Math.max(index, 0)}
      aria-valuetext={moment(at, now)}
      title="Click near a mark, or use the arrow keys, to go to a price change"
      className="relative h-9 min-w-0 flex-1 cursor-pointer"
      onKeyDown={(e) => {
        if (e.key === "ArrowRight" || e.key === "ArrowLeft") {
          e.preventDefault();
          step(e.key === "ArrowRight" ? 1 : -1);
        }
      }}
      onClick={(e) => nearest(e.clientX)}
    >
      <svg ref={svg} className="absolute inset-0 h-full w-full overflow-visible" aria-hidden>
        <line x1="0" x2="100%" y1="15" y2="15" stroke="var(--line)" strokeWidth="1.5" />
        {mondays.map((d) => {
          const left = `${(differenceInMinutes(d, first) / (days * 1440)) * 100}%`;
          return (
            <g key={d.toISOString()}>
              <line x1={left} x2={left} y1="12" y2="18" stroke="var(--quiet)" />
              <text x={left} y="31" fontSize="11" fill="var(--quiet)" textAnchor="middle">
                {format(d, "d MMM")}
              </text>
            </g>
          );
        })}
        <line x1={`${x(now)}%`} x2={`${x(now)}%`} y1="4" y2="26" stroke="var(--ink)" strokeDasharray="2 2" />
        {moments
          .filter((m) => m !== now && x(m) >= 0 && x(m) <= 100)
          .map((m) => (
            <rect key={m} x={`${x(m)}%`} y="9" width="3" height="12" fill="var(--ink)" transform="translate(-1.5)">
              <title>{moment(m, now)}</title>
            </rect>
          ))}
        {x(at) >= 0 && x(at) <= 100 && (
          <circle cx={`${x(at)}%`} cy="15" r="5.5" fill="var(--paper)" stroke="var(--ink)" strokeWidth="2" />
        )}
      </svg>
    </div>
  );
}
