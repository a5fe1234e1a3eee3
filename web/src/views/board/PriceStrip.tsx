import { scaleLinear } from "d3-scale";
import type { BoardRow, Layer } from "../../api/client";
import { amount, approx } from "../../lib/format";
import { layerColour, layerNames } from "../../lib/layers";

const height = 26;
const mid = 12;

/**
 * One price on a scale of its own that begins at 0: a bar of ink up to the price, each layer's cut (or rise) in its hue
 * beyond it, the list price as a thin tick, the lowest permitted price as a notch below, the cost as a heavy tick. A
 * price under cost gets the gap hatched. It draws; all amounts come from the core.
 */
export function PriceStrip({ row, layers, width }: { row: BoardRow; layers: Layer[]; width: number }) {
  const price = approx(row.price);
  if (Number.isNaN(price)) return <span className="text-quiet">no price</span>;
  const list = approx(row.list);
  const cost = approx(row.cost);
  const lowest = approx(row.lowest);
  const after = row.after.map(Number);
  const top = Math.max(price, list || 0, cost || 0, ...after) * 1.02 || 1;
  const x = scaleLinear([0, top], [1, width - 1]);
  const cuts = after.flatMap((now, i) => {
    const before = i === 0 ? list : (after[i - 1] ?? now);
    const layer = layers[i];
    return layer && !Number.isNaN(before) && before !== now
      ? [{ layer, from: Math.min(before, now), to: Math.max(before, now), rise: now > before }]
      : [];
  });
  const under = !Number.isNaN(cost) && price < cost;
  const label = [
    `list ${amount(row.list)}`,
    ...cuts.map((c) => `${layerNames[c.layer]} ${c.rise ? "adds" : "takes"} ${amount((c.to - c.from).toFixed(2))}`),
    `price ${amount(row.price)}`,
    ...(row.cost ? [`cost ${amount(row.cost)}`] : []),
    ...(under ? ["below cost"] : []),
  ].join(", ");
  return (
    <svg width={width} height={height} role="img" aria-label={label} className="block">
      <title>{label}</title>
      <defs>
        <pattern id="under" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" fill="var(--badwash)" />
          <rect width="2.2" height="5" fill="var(--bad)" />
        </pattern>
      </defs>
      <line x1="1" x2={width - 1} y1={mid} y2={mid} stroke="var(--line)" />
      <rect x="1" y={mid - 3} width={Math.max(1, x(price) - 1)} height="6" fill="var(--ink)" opacity="0.72" />
      {cuts.map((c) => (
        <rect
          key={c.layer}
          x={x(c.from)}
          y={c.rise ? mid + 4 : mid - 5}
          width={Math.max(1.5, x(c.to) - x(c.from))}
          height={c.rise ? 3 : 10}
          fill={layerColour[c.layer]}
        />
      ))}
      {under && (
        <rect
          x={x(price)}
          y={mid - 7}
          width={Math.max(3, x(cost) - x(price))}
          height="14"
          fill="url(#under)"
          stroke="var(--bad)"
        />
      )}
      {!Number.isNaN(list) && (
        <line x1={x(list)} x2={x(list)} y1={mid - 7} y2={mid + 7} stroke="var(--ink)" strokeWidth="1" />
      )}
      {!Number.isNaN(lowest) && lowest !== cost && <path d={`M${x(lowest)} ${mid + 6}l-3 5h6Z`} fill="var(--quiet)" />}
      {!Number.isNaN(cost) && cost > 0 && (
        <line
          x1={x(cost)}
          x2={x(cost)}
          y1={mid - 8}
          y2={mid + 9}
          stroke={under ? "var(--bad)" : "var(--sheet)"}
          strokeWidth="4"
        />
      )}
      {!Number.isNaN(cost) && cost > 0 && (
        <line
          x1={x(cost)}
          x2={x(cost)}
          y1={mid - 8}
          y2={mid + 9}
          stroke={under ? "var(--bad)" : "var(--ink)"}
          strokeWidth="2"
        />
      )}
    </svg>
  );
}
