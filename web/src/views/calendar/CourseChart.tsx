import { scaleLinear } from "d3-scale";
import { useState } from "react";
import { stepPath } from "../../lib/charts";
import { usePriceCourse } from "../../api/prices";
import type { Viewpoint } from "../../api/viewpoint";
import { useViewpoint } from "../../lib/viewpoint";
import { type PriceCourse } from "../../api/client";
import { amount, approx } from "../../lib/format";
import { ProductFinder, useProductName } from "../../parts/products/ProductFinder";
import type { Scale } from "./scale";

const height = 130;

/** One product's price over the calendar's span, with its cost and the lowest price of the 30 days before. */
export function CourseChart({ viewpoint, scale, now }: { viewpoint: Viewpoint; scale: Scale; now: string }) {
  const { params, set } = useViewpoint();
  const sku = params.get("sku") ?? "";
  const { data } = usePriceCourse(viewpoint, sku, scale.from, scale.to);
  return (
    <section aria-label="Price over time" className="shrink-0 overflow-x-clip border-t-2 border-ink/25 bg-sheet">
      <div className="flex">
        <div className="w-[214px] shrink-0 px-3 py-2">
          <ProductPick sku={sku} onPick={(s) => set({ sku: s })} />
          {data && sku && <Key data={data} />}
        </div>
        <div className="relative min-w-0 flex-1 overflow-hidden [scrollbar-gutter:stable]">
          {sku === "" ? (
            <p className="px-4 py-8 text-quiet">Choose a product to see its price over this span.</p>
          ) : (
            data && <Lines data={data} scale={scale} now={now} />
          )}
        </div>
      </div>
    </section>
  );
}

const Key = ({ data }: { data: PriceCourse }) => (
  <ul className="mt-1.5 space-y-0.5 text-[12px]">
    <li className="flex items-center gap-1.5">
      <svg width="22" height="6" aria-hidden>
        <path d="M0 3H22" stroke="var(--ink)" strokeWidth="2" />
      </svg>
      price by the book
    </li>
    {data.published.length > 0 && (
      <li className="flex items-center gap-1.5">
        <svg width="22" height="6" aria-hidden>
          <path d="M0 3H22" stroke="var(--focus)" strokeWidth="5" opacity=".45" />
        </svg>
        as published
      </li>
    )}
    {data.lowest.length > 0 && (
      <li className="flex items-center gap-1.5">
        <svg width="22" height="6" aria-hidden>
          <path d="M0 3H22" stroke="var(--good)" strokeWidth="1.5" strokeDasharray="2 3" />
        </svg>
        lowest of 30 days before
      </li>
    )}
    {data.cost && (
      <li className="flex items-center gap-1.5">
        <svg width="22" height="6" aria-hidden>
          <path d="M0 3H22" stroke="var(--bad)" strokeDasharray="5 3" />
        </svg>
        cost {amount(data.cost)}
      </li>
    )}
  </ul>
);

type Step = PriceCourse["planned"][number];

function Lines({ data, scale, now }: { data: PriceCourse; scale: Scale; now: string }) {
  const all = [...data.planned, ...data.published, ...data.lowest].map((s) => approx(s.price));
  const cost = approx(data.cost);
  const known = [...all, cost].filter((n) => !Number.isNaN(n));
  if (known.length === 0) return <p className="px-4 py-8 text-quiet">There is no price in this span.</p>;
  const high = Math.max(...known) * 1.04;
  const low = Math.min(...known) * 0.96;
  const y = scaleLinear([low, Math.max(high, low + 0.01)], [height - 14, 14]);
  const x = (at: string) => scale.at(at) * 1000;
  const path = (steps: Step[], until: string) =>
    stepPath(
      steps
        .map((s, i) => ({ from: x(s.at), to: x(steps[i + 1]?.at ?? until), value: approx(s.price) }))
        .filter((h) => h.to > 0),
      y,
    );
  // The figures that fit: each change of the planned price that has some room to the one shown before.
  const labels = data.planned.reduce<Step[]>((list, s) => {
    const before = list.at(-1);
    return s.price !== null && (!before || x(s.at) - x(before.at) > 70) ? [...list, s] : list;
  }, []);
  return (
    <div className="relative" style={{ height }}>
      <svg
        viewBox={`0 0 1000 ${height}`}
        preserveAspectRatio="none"
        className="absolute inset-0 h-full w-full"
        role="img"
        aria-label={`Price: ${data.planned.map((s) => `${amount(s.price)} from ${s.at}`).join(", ")}`}
      >
        {!Number.isNaN(cost) && (
          <path d={`M0 ${y(cost)}H1000`} stroke="var(--bad)" strokeDasharray="5 3" vectorEffect="non-scaling-stroke" />
        )}
        <path
          d={path(data.published, now)}
          fill="none"
          stroke="var(--focus)"
          strokeWidth="6"
          opacity=".45"
          vectorEffect="non-scaling-stroke"
        />
        <path
          d={path(data.lowest, scale.to)}
          fill="none"
          stroke="var(--good)"
          strokeWidth="1.5"
          strokeDasharray="2 3"
          vectorEffect="non-scaling-stroke"
        />
        <path
          d={path(data.planned, scale.to)}
          fill="none"
          stroke="var(--ink)"
          strokeWidth="2"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      {labels.map((s) => (
        <span
          key={s.at}
          className="absolute rounded-[2px] bg-sheet/80 px-0.5 text-[12px] font-medium"
          style={{ left: `${scale.at(s.at) * 100}%`, top: Math.max(0, y(approx(s.price)) - 18) }}
        >
          {amount(s.price)}
        </span>
      ))}
      {now > scale.from && now < scale.to && (
        <span className="absolute inset-y-0 w-px bg-bad" style={{ left: `${scale.at(now) * 100}%` }} />
      )}
    </div>
  );
}

/** Finds the product whose price is drawn. */
function ProductPick({ sku, onPick }: { sku: string; onPick: (s: string) => void }) {
  const [words, setWords] = useState("");
  const name = useProductName(sku);
  return (
    <>
      {sku && (
        <p className="truncate text-[13px] font-medium" title={name}>
          {name || sku}
        </p>
      )}
      <ProductFinder
        label="Product of the chart"
        placeholder={sku ? "Another product" : "Find a product"}
        className="field w-full text-[13px]"
        above
        words={words}
        onWords={setWords}
        onPick={(chosen) => {
          onPick(chosen);
          setWords("");
        }}
      />
    </>
  );
}
