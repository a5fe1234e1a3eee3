import { scaleLinear } from "d3-scale";
import type { Layer, Trail } from "../../api/client";
import { amount, approx } from "../../lib/format";
import { layerColour } from "../../lib/layers";

const width = 330;
const step = 18;

/** The way from list price to effective price as a stair that falls, or rises, by each rule in its layer's hue. */
export function Stair({ trail, list, unit }: { trail: Trail; list: string | null; unit: string | null }) {
  const points = [
    { value: approx(list), layer: undefined as Layer | undefined },
    ...trail.steps.map((s) => ({ value: approx(s.after), layer: s.layer as Layer })),
  ].filter((p) => !Number.isNaN(p.value));
  if (points.length < 2) return null;
  const top = Math.max(...points.map((p) => p.value)) || 1;
  const x = scaleLinear([0, top], [2, width - 2]);
  const height = points.length * step + 4;
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className="mt-2 block w-full"
      role="img"
      aria-label={`From ${amount(list)} to ${amount(unit)} in ${trail.steps.length} steps`}
    >
      {points.map((p, i) => {
        const before = points[i - 1]?.value ?? p.value;
        const y = i * step + 3;
        return (
          <g key={i}>
            <rect
              x="2"
              y={y + 4}
              width={x(p.value) - 2}
              height="7"
              fill="var(--ink)"
              opacity={i === points.length - 1 ? 0.85 : 0.35}
            />
            {p.layer && before !== p.value && (
              <rect
                x={Math.min(x(p.value), x(before))}
                y={y + 1}
                width={Math.max(2, Math.abs(x(before) - x(p.value)))}
                height="13"
                fill={layerColour[p.layer]}
              />
            )}
            <line x1={x(p.value)} x2={x(p.value)} y1={y + 4} y2={y + step + 4} stroke="var(--ink)" strokeWidth="1" />
          </g>
        );
      })}
    </svg>
  );
}
