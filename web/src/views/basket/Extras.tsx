import { useState } from "react";
import { useProgramState } from "../../api/state";
import type { BasketGoods } from "../../api/client";
import type { BasketLine } from "../../lib/address";
import { amount } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { useViewpoint } from "../../lib/viewpoint";
import { Add, Out } from "../../ui/blanks";
import { MomentField } from "../../ui/moment-field";
import { DecimalInput } from "../../ui/decimal-input";

interface Props {
  line: BasketLine;
  goods: BasketGoods;
  onChange: (part: (l: BasketLine) => BasketLine) => void;
}

/** What is said of a line besides how many: options, days of hire, months, a reduction given by hand. */
export function Extras({ line, goods, onChange }: Props) {
  return (
    <span className="mt-0.5 flex flex-wrap items-center gap-x-4 gap-y-1 text-[14px]">
      {goods.options.map((o) => (
        <label key={o.code} className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="accent-ink"
            checked={line.options?.includes(o.code) ?? false}
            onChange={(e) => {
              const on = e.target.checked;
              onChange(({ options = [], ...l }) => {
                const next = on ? [...options, o.code] : options.filter((c) => c !== o.code);
                return next.length > 0 ? { ...l, options: next } : l;
              });
            }}
          />
          {o.code} <span className="text-quiet">{amount(o.price)}</span>
        </label>
      ))}
      {goods.unit === "month" && <Months line={line} goods={goods} onChange={onChange} />}
      {goods.unit === "day" && <HireDates line={line} goods={goods} onChange={onChange} />}
      <ByHand line={line} goods={goods} onChange={onChange} />
    </span>
  );
}

function Months({ line, goods, onChange }: Props) {
  const typed = useTyped(String(line.term ?? 1), (text) =>
    /^[1-9]\d{0,3}$/.test(text.trim())
      ? onChange((l) => saying(l, { term: Number(text) === 1 ? undefined : Number(text) }))
      : false,
  );
  return (
    <label className="flex items-center gap-1.5">
      for
      <input
        aria-label={`Months of ${goods.name || goods.sku}`}
        inputMode="numeric"
        aria-invalid={!/^[1-9]\d{0,3}$/.test(typed.text.trim())}
        className="field w-12 text-right"
        value={typed.text}
        onChange={(e) => typed.type(e.target.value)}
        onBlur={typed.done}
      />
      months
    </label>
  );
}

type Said = Pick<BasketLine, "term" | "hire" | "byHand">;

/** A line with something said otherwise; what is undefined is not said. */
function saying(l: BasketLine, said: { [K in keyof Said]: Said[K] | undefined }): BasketLine {
  const entries = Object.entries({ ...l, ...said }).filter(([, value]) => value !== undefined);
  return { ...Object.fromEntries(entries), sku: l.sku, quantity: l.quantity };
}

/** From collection to return; without dates the goods are priced for one day. */
function HireDates({ line, goods, onChange }: Props) {
  const { data: state } = useProgramState();
  const name = goods.name || goods.sku;
  const { hire } = line;
  const { viewpoint } = useViewpoint();
  const now = state?.now ?? "";
  const start = viewpoint.at || now;
  if (!hire)
    return (
      <Add onClick={() => onChange((l) => saying(l, { hire: { from: start, to: start } }))}>days of hire, now one</Add>
    );
  const put = (part: Partial<typeof hire>) => onChange((l) => saying(l, { hire: { ...hire, ...part } }));
  return (
    <span className="@2xl:whitespace-nowrap">
      <span className="whitespace-nowrap">
        out from{" "}
        <MomentField
          label={`Collection of ${name}`}
          at={hire.from}
          now={now}
          onChange={(from) => put({ from, ...(from > hire.to && { to: from }) })}
        />
      </span>{" "}
      <span className="whitespace-nowrap">
        to <MomentField label={`Return of ${name}`} at={hire.to} now={now} onChange={(to) => put({ to })} />
        <Out label={`Hire ${name} for one day`} onClick={() => onChange((l) => saying(l, { hire: undefined }))} />
      </span>
    </span>
  );
}

/** What somebody at the till takes off, where the settings allow it. */
function ByHand({ line, goods, onChange }: Props) {
  const name = goods.name || goods.sku;
  const by = line.byHand?.amountOff !== undefined ? "amountOff" : "percentOff";
  const put = (key: "percentOff" | "amountOff", value: string) =>
    onChange((l) => saying(l, { byHand: value.trim() === "" ? undefined : { [key]: value.trim() } }));
  const typed = useTyped(line.byHand?.[by] ?? "", (text) => put(by, text));
  const [asked, setAsked] = useState(line.byHand !== undefined);
  if (!asked) return <Add onClick={() => setAsked(true)}>off by hand</Add>;
  return (
    <label className="flex items-center gap-1.5 text-quiet">
      off by hand
      <DecimalInput
        aria-label={`Off by hand from ${name}`}
        placeholder="–"
        className="field w-16 text-right text-ink"
        value={typed.text}
        onChange={typed.type}
        onBlur={typed.done}
      />
      <select
        aria-label={`How much is off by hand from ${name}`}
        className="field text-ink"
        value={by}
        onChange={(e) => {
          const key = e.target.value as typeof by;
          put(key, typed.text || "0");
        }}
      >
        <option value="percentOff">%</option>
        <option value="amountOff">each</option>
      </select>
    </label>
  );
}
