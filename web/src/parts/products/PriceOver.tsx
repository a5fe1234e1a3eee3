import { scaleLinear, scaleTime } from "d3-scale";
import { addDays, format } from "date-fns";
import { stepPath } from "../../lib/charts";
import type { Outlook } from "../../api/client";
import { amount, approx, moment, wall } from "../../lib/format";

const width = 330;
const height = 92;
const left = 4;
const top = 8;

/** One price over the days ahead as steps, with the cost beneath; the marks are the moments at which it changes. */
export function PriceOver({ outlook, now }: { outlook: Outlook; now: string }) {
  const steps = outlook.over;
  const first = steps[0];
  if (!first) return null;
  const prices = steps.map((s) => approx(s.price)).filter((n) => !Number.isNaN(n));
  if (prices.length === 0) return <p className="text-quiet">There is no price in these 90 days.</p>;
  const cost = approx(outlook.cost);
  const high = Math.max(...prices, Number.isNaN(cost) ? 0 : cost) * 1.03;
  const low = Math.min(...prices, Number.isNaN(cost) ? Infinity : cost) * 0.97;
  const begin = wall(first.at);
  const time = scaleTime([begin, wall(outlook.to)], [left, width - left]);
  const x = (at: string) => time(wall(at));
  const y = scaleLinear([low, Math.max(high, low + 0.01)], [height - 20, top]);
  const held = steps.map((s, i) => ({
    from: x(s.at),
    to: x(steps[i + 1]?.at ?? outlook.to),
    value: approx(s.price),
  }));
  const label = `Price over 90 days: ` + steps.map((s) => `${amount(s.price)} from ${moment(s.at, now)}`).join(", ");
  return (
    <figure>
      <svg viewBox={`0 0 ${width} ${height}`} className="block w-full" role="img" aria-label={label}>
        <title>{label}</title>
        {!Number.isNaN(cost) && (
          <>
            <line x1={left} x2={width - left} y1={y(cost)} y2={y(cost)} stroke="var(--bad)" strokeDasharray="3 3" />
            <text x={width - left} y={y(cost) - 3} fontSize="10" textAnchor="end" fill="var(--bad)">
              cost {amount(outlook.cost)}
            </text>
          </>
        )}
        <path d={stepPath(held, y)} fill="none" stroke="var(--ink)" strokeWidth="2" />
        <line x1={left} x2={width - left} y1={height - 16} y2={height - 16} stroke="var(--line)" />
        {steps.slice(1).map((s) => (
          <line key={s.at} x1={x(s.at)} x2={x(s.at)} y1={height - 19} y2={height - 13} stroke="var(--ink)" />
        ))}
        {[0, 30, 60, 90].map((d) => {
          const day = addDays(begin, d);
          return (
            <text
              key={d}
              x={time(day)}
              y={height - 3}
              fontSize="10"
              fill="var(--quiet)"
              textAnchor={d === 0 ? "start" : d === 90 ? "end" : "middle"}
            >
              {format(day, "d MMM")}
            </text>
          );
        })}
      </svg>
      <figcaption className="mt-1 text-[12px] text-quiet">
        {steps.length === 1
          ? `${amount(first.price)} throughout`
          : steps
              .slice(1, 5)
              .map((s) => `${amount(s.price)} from ${moment(s.at, now)}`)
              .join(" · ")}
        {steps.length > 5 && ` and ${steps.length - 5} more`}
      </figcaption>
    </figure>
  );
}
