import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { useLater, useLaterGoods, useMoveLater } from "../../api/later";
import type { Schema } from "../../api/client";
import { carried } from "../../lib/address";
import { amount, count, counted, errorText, moment } from "../../lib/format";
import { productPage } from "../../lib/sku";
import { useViewpoint } from "../../lib/viewpoint";
import { Button } from "../../ui/button";
import { FieldError } from "../../ui/states";
import { DayBlank, TimeBlank } from "../../ui/time-blanks";

type LaterMoment = Schema["LaterMoment"];

const figureWords: Record<string, string> = {
  list: "list prices",
  cost: "costs",
  rrp: "recommended prices",
  map: "lowest advertised prices",
  costs: "further costs",
  levels: "price levels",
  listIn: "list prices in other currencies",
};
const oneFigure: Record<string, string> = {
  list: "list",
  cost: "cost",
  rrp: "recommended",
  map: "lowest advertised",
};

/** What products will cost from later days on, by day, with what it moves: looked through, moved and dropped. */
export function LaterFigures({
  open,
  now,
  may,
  onOpen,
}: {
  open: string;
  now: string;
  may: boolean;
  onOpen: (at: string) => void;
}) {
  const { viewpoint } = useViewpoint();
  const { data } = useLater(viewpoint);
  if (!data || data.moments.length === 0) return null;
  return (
    <section aria-label="Later figures" className="pt-3">
      <h2 className="text-[15px]">Later figures</h2>
      <ul className="mt-1">
        {data.moments.map((m) => (
          <li key={m.at} data-later={m.at}>
            <button
              type="button"
              aria-expanded={open === m.at}
              className="flex w-full items-baseline gap-1 rounded-[3px] py-0.5 text-left hover:bg-wash"
              onClick={() => onOpen(open === m.at ? "" : m.at)}
            >
              {open === m.at ? (
                <ChevronDown size={14} className="shrink-0 self-center" aria-hidden />
              ) : (
                <ChevronRight size={14} className="shrink-0 self-center" aria-hidden />
              )}
              <span className="flex-1">{moment(m.at, now)}</span>
              <span className="text-[13px] text-quiet">{counted(m.goods, "product")}</span>
            </button>
            {m.below > 0 && (
              <p className="pl-5 text-[13px] text-bad">{counted(m.below, "price")} below cost from then on</p>
            )}
            {open === m.at && <Moment m={m} now={now} may={may} onOpen={onOpen} />}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Moment({ m, now, may, onOpen }: { m: LaterMoment; now: string; may: boolean; onOpen: (at: string) => void }) {
  const { params } = useViewpoint();
  const [start, setStart] = useState(0);
  const { data } = useLaterGoods(m.at, start);
  const [date, setDate] = useState(m.at.slice(0, 10));
  const [time, setTime] = useState(m.at.slice(11, 16));
  const to = `${date}T${time}`;
  const move = useMoveLater(() => onOpen(""));
  return (
    <div className="border-l-2 border-ink/25 pl-3 text-[13px]">
      <p className="text-quiet">
        {Object.entries(m.figures)
          .map(([figure, n]) => `${count(n)} ${figureWords[figure] ?? figure}`)
          .join(", ")}
        . {m.moved === 0 ? "It moves no price you look at" : `It moves ${counted(m.moved, "price")}, ${count(m.up)} up`}
        .
      </p>
      {may && (
        <form
          className="mt-1.5 flex flex-wrap items-center gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            if (to !== m.at.slice(0, 16)) move.mutate({ at: m.at, to });
          }}
        >
          <DayBlank
            timed
            label="New day of these figures"
            value={date}
            now={now}
            onChange={(d, t) => (setDate(d), t && setTime(t))}
          />
          <TimeBlank label="New time of these figures" value={time} onChange={setTime} />
          <Button type="submit" disabled={move.isPending || to === m.at.slice(0, 16)}>
            Move
          </Button>
          <Button look="danger" disabled={move.isPending} onClick={() => move.mutate({ at: m.at })}>
            Drop them
          </Button>
          <FieldError>{move.error ? errorText(move.error) : undefined}</FieldError>
        </form>
      )}
      <table className="mt-1 w-full">
        <tbody>
          {data?.rows.map((r, i) => (
            <tr key={i} className="border-b border-dotted align-baseline">
              <td className="max-w-[130px] truncate pr-1">
                <Link className="underline decoration-1 underline-offset-2" to={productPage(r.sku) + carried(params)}>
                  {r.name || r.sku}
                </Link>{" "}
                {r.figure !== "list" && <span className="text-quiet">{r.of ?? oneFigure[r.figure]}</span>}
              </td>
              <td className="text-right whitespace-nowrap">
                <span className="text-quiet">{r.was === null ? "none" : amount(r.was)} → </span>
                <b className="font-medium">{amount(r.is)}</b>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {data && data.total > data.rows.length && (
        <p className="mt-1 flex items-center gap-2">
          <Button look="bare" disabled={start === 0} onClick={() => setStart(Math.max(0, start - 200))}>
            Before
          </Button>
          <span className="text-quiet">
            {count(start + 1)} to {count(start + data.rows.length)} of {count(data.total)}
          </span>
          <Button look="bare" disabled={start + 200 >= data.total} onClick={() => setStart(start + 200)}>
            After
          </Button>
        </p>
      )}
    </div>
  );
}

/** Marks at the moments of a span from which figures are others. */
export function LaterMarks({
  at,
  now,
  chosen,
  onOpen,
}: {
  at: (moment: string) => number;
  now: string;
  chosen: string;
  onOpen: (at: string) => void;
}) {
  const { viewpoint } = useViewpoint();
  const { data } = useLater(viewpoint);
  const inside = (data?.moments ?? []).filter((m) => at(m.at) >= 0 && at(m.at) < 1);
  if (inside.length === 0) return null;
  return (
    <div className="flex">
      <span className="w-[214px] shrink-0 pl-7 text-[13px] leading-[24px]">List prices, costs</span>
      <div className="relative h-6 min-w-0 flex-1">
        {inside.map((m) => (
          <button
            key={m.at}
            type="button"
            aria-label={`Figures from ${moment(m.at, now)}`}
            title={`${moment(m.at, now)}: ${counted(m.goods, "product")}`}
            className={`absolute top-[7px] size-[11px] -translate-x-1/2 rotate-45 border-2 border-ink ${chosen === m.at ? "bg-ink" : "bg-paper"}`}
            style={{ left: `${at(m.at) * 100}%` }}
            onClick={() => onOpen(m.at)}
          />
        ))}
      </div>
    </div>
  );
}
