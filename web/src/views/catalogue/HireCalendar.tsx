import { addDays, format, getDay, startOfMonth, addMonths, getDaysInMonth } from "date-fns";
import { useState } from "react";
import { useBasket } from "../../api/basket";
import { useHireDays } from "../../api/storefront";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import { amount, count, wall } from "../../lib/format";
import { joined } from "../../lib/sentence";
import { Button } from "../../ui/button";
import { MomentField } from "../../ui/moment-field";
import { FieldError } from "../../ui/states";

/** A month of a product that is hired by the day, with the price of each day, and a trial from collection to return. */
export function HireCalendar({ viewpoint, sku }: { viewpoint: Viewpoint; sku: string }) {
  const { data: state } = useProgramState();
  const now = viewpoint.at || (state?.now ?? "");
  const [ahead, setAhead] = useState(0);
  const month = addMonths(startOfMonth(wall(now)), ahead);
  const from = format(month, "yyyy-MM-dd'T'00:00");
  const { data } = useHireDays(viewpoint, sku, from, getDaysInMonth(month));
  const first = `${now.slice(0, 10)}T10:00`;
  const [span, setSpan] = useState<{ from: string; to: string } | null>(null);
  const hire = span ?? { from: first, to: `${format(addDays(wall(first), 2), "yyyy-MM-dd")}T16:00` };
  const trial = useBasket(
    viewpoint,
    { lines: [{ sku, quantity: 1, hire }], codes: [], shipping: "", before: null },
    now !== "",
  );
  const line = trial.data?.answer.lines[0];
  const days = line?.portions[0]?.days ?? [];
  const charged = days.reduce((n, d) => n + d.days, 0);
  if (!data) return null;
  const usual = data.days.map((d) => d.price).sort((a, b) => Number(a) - Number(b))[0];
  const names = new Map(data.rules.map((r) => [r.code, r.name]));
  const blanks = (getDay(month) + 6) % 7;
  return (
    <section aria-label="Hire" className="mt-5">
      <h3 className="flex items-center border-b pb-1">
        Hire, day by day
        <span className="ml-auto flex items-center gap-1 font-normal">
          <Button look="bare" aria-label="The month before" onClick={() => setAhead(ahead - 1)}>
            ‹
          </Button>
          {format(month, "MMMM yyyy")}
          <Button look="bare" aria-label="The month after" onClick={() => setAhead(ahead + 1)}>
            ›
          </Button>
        </span>
      </h3>
      <ol className="mt-1 grid grid-cols-7 gap-px text-[13px]" data-testid="hire-days">
        {["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"].map((d) => (
          <li key={d} className="text-center text-[12px] text-quiet" aria-hidden>
            {d}
          </li>
        ))}
        {[...Array(blanks).keys()].map((i) => (
          <li key={`blank ${i}`} aria-hidden />
        ))}
        {data.days.map((d) => {
          const other = d.price !== usual;
          const why = joined(
            d.rules.map((r) => names.get(r) ?? r),
            "and",
          );
          return (
            <li
              key={d.date}
              title={why || "the list price"}
              className={`rounded-[2px] px-1 py-0.5 text-right ${other ? "bg-promotion/20 font-medium" : "bg-wash/60"}`}
            >
              <span className="float-left text-quiet">{Number(d.date.slice(8))}</span>
              {amount(d.price)}
              {other && <span className="sr-only">, by {why}</span>}
            </li>
          );
        })}
      </ol>
      <p className="mt-1 text-[13px] text-quiet">
        {data.rules.length > 0 &&
          `${joined(
            data.rules.map((r) => r.name),
            "and",
          )} at work. `}
        {data.freeFirst && `A first day from ${data.freeFirst} on is free. `}
        {data.freeLast && `A last day until ${data.freeLast} is free.`}
      </p>
      <p className="mt-2 leading-8">
        Out from{" "}
        <MomentField
          label="Collection"
          at={hire.from}
          now={now}
          onChange={(at) => setSpan({ from: at, to: at > hire.to ? at : hire.to })}
        />{" "}
        to <MomentField label="Return" at={hire.to} now={now} onChange={(to) => setSpan({ ...hire, to })} />:{" "}
        <b data-testid="hire-total">{line ? amount(line.total) : "…"}</b>
        {charged > 0 && (
          <span className="text-quiet">
            {" "}
            for {count(charged)} {charged === 1 ? "day" : "days"}
          </span>
        )}{" "}
        {trial.error && <FieldError>The hire ends before it begins, or cannot be priced.</FieldError>}
      </p>
    </section>
  );
}
