import { useState } from "react";
import { Link } from "react-router";
import { useProgramState } from "../../api/state";
import type { BasketDetail, Layer, Problem } from "../../api/client";
import type { Viewpoint } from "../../api/viewpoint";
import { addressOf } from "../../lib/address";
import { amount, count, day, errorText, isZero, moment, signed } from "../../lib/format";
import { useNames } from "../../lib/names";
import { joined, reasonWords } from "../../lib/sentence";
import { useViewpoint } from "../../lib/viewpoint";
import { Steps } from "../../parts/trail/Steps";
import { Button } from "../../ui/button";
import { LayerMark } from "../../ui/layer-mark";
import { PinBasket } from "./PinBasket";

interface Props {
  detail: BasketDetail | undefined;
  problem: Problem | null;
  error: unknown;
  stale: boolean;
  empty: boolean;
  viewpoint: Viewpoint;
  onPut: (goods: { sku: string; quantity: number }[]) => void;
}

type Line = BasketDetail["answer"]["lines"][number];

/** What the goods cost together, line by line, offer by offer, and what else could have applied. */
export function Receipt({ detail, problem, error, stale, empty, viewpoint, onPut }: Props) {
  return (
    <aside
      aria-label="Receipt"
      className="w-[470px] shrink-0 overflow-y-auto border-l bg-sheet px-5 py-3 max-[1150px]:w-[400px]"
    >
      {empty ? (
        <p className="text-quiet">What the goods cost together, and why, stands here as they go in.</p>
      ) : problem?.details.some((d) => d.location.includes("lines")) ? (
        <p role="alert" className="font-medium text-bad">
          Something in the basket is wrong: mend it on the left, nothing is lost.
        </p>
      ) : error ? (
        <p role="alert" className="font-medium text-bad">
          {problem?.details.map((d) => d.message).join(" ") || errorText(error)}
        </p>
      ) : detail ? (
        <div className={stale ? "opacity-70" : ""}>
          <Paper detail={detail} viewpoint={viewpoint} onPut={onPut} />
        </div>
      ) : null}
    </aside>
  );
}

function Paper({ detail, viewpoint, onPut }: { detail: BasketDetail; viewpoint: Viewpoint; onPut: Props["onPut"] }) {
  const { params } = useViewpoint();
  const { data: state } = useProgramState();
  const codes = useNames();
  const { answer } = detail;
  const names = new Map(detail.rules.map((r) => [r.code, r]));
  const goods = new Map(detail.goods.map((g) => [g.sku, g.name || g.sku]));
  const ruleName = (code: string) => names.get(code)?.name ?? code;
  const rule = (code: string) => (
    <Link
      className="font-medium underline decoration-1 underline-offset-2"
      to={addressOf(`/stack/rule/${encodeURIComponent(code)}`, params)}
    >
      {ruleName(code)}
    </Link>
  );
  const lineName = (i: number) => goods.get(answer.lines[i]?.sku ?? "") ?? answer.lines[i]?.sku;
  const other = answer.problems.filter((p) => !p.path.startsWith("lines["));
  const offers = new Set(answer.missed?.map((m) => m.rule));
  const missed = [...(answer.missed ?? []), ...missedPrices(answer.lines).filter((m) => !offers.has(m.rule))];
  return (
    <>
      <p className="flex items-baseline gap-2">
        <span className="text-[28px] font-semibold" data-testid="basket-total">
          {amount(answer.total)}
        </span>
        <span className="text-quiet">
          {answer.currency}, {moment(detail.at, state?.now)}
        </span>
        <PinBasket detail={detail} viewpoint={viewpoint} />
      </p>
      {detail.step && <StepLine step={detail.step} rule={rule} />}
      {!answer.exact && (
        <p className="mt-1 text-quiet">
          More offers compete here than all orders can be tried of: this is the best that was found.
        </p>
      )}
      {other.map((p) => (
        <p key={p.path} role="alert" className="mt-1 font-medium text-bad">
          {p.problem.charAt(0).toUpperCase() + p.problem.slice(1)}.
        </p>
      ))}
      <ol className="mt-2 border-t-2 border-ink">
        {answer.lines.map((l, i) => (
          <LineOf key={`${l.sku} ${i}`} line={l} name={lineName(i) ?? l.sku} rule={rule} ruleName={ruleName} />
        ))}
      </ol>
      <Sum name="Before offers" value={answer.subtotal} />
      {answer.offers.map((o) => (
        <div key={o.rule} className="border-b border-dotted py-1" data-offer={o.rule}>
          <div className="flex items-baseline gap-2">
            <span className="self-center">
              <LayerMark layer="promotion" size={12} />
            </span>
            <span className="min-w-0">
              {rule(o.rule)}
              {o.applications > 1 && <span className="text-quiet"> × {o.applications}</span>}
            </span>
            <span className="ml-auto font-medium">{amount("-" + o.off)}</span>
          </div>
          <p className="pl-5 text-[13px] text-quiet">
            {[
              ...o.rewarded.map((s) => `${count(s.units)} ${lineName(s.line)} ${amount("-" + (s.off ?? "0"))}`),
              ...(o.shipping ? [`shipping ${amount("-" + o.shipping)}`] : []),
            ].join(", ")}
            {o.needed.length > 0 &&
              `; for ${joined(
                o.needed.map((s) => `${count(s.units)} ${lineName(s.line)}`),
                "and",
              )}`}
          </p>
        </div>
      ))}
      {answer.shipping !== null && <Sum name="Shipping" value={answer.shipping} />}
      <div className="mt-1 flex border-t-2 border-ink pt-1 text-[17px] font-semibold">
        <span>To pay</span>
        <span className="ml-auto">{amount(answer.total)}</span>
      </div>
      {answer.tax.map((t) => (
        <p key={t.percent} className="flex text-[13px] text-quiet">
          <span>
            {t.percent} % tax on {amount(t.of)}
          </span>
          <span className="ml-auto">{amount(t.amount)}</span>
        </p>
      ))}
      <Left detail={detail} />
      <Nudges nudges={answer.nudges ?? []} goods={goods} ruleName={ruleName} onPut={onPut} />
      <h3 className="mt-4 border-b pb-1">Did not apply</h3>
      {missed.length === 0 && <p className="mt-1.5 text-quiet">No other rule is about these goods.</p>}
      <ul className="mt-1.5 space-y-1" data-testid="missed">
        {missed.map((m) => (
          <li key={m.rule} className="flex gap-2">
            <span className="mt-[3px] opacity-60">
              <LayerMark layer={(names.get(m.rule)?.layer ?? "promotion") as Layer} />
            </span>
            <span>
              {rule(m.rule)}{" "}
              {reasonWords(
                m.reason,
                {
                  by: m.by ? ruleName(m.by) : undefined,
                  counted: m.counted,
                  wanted: m.wanted,
                  opens: day(detail.opens[m.rule] ?? "", state?.now),
                  unmet: detail.unmet[m.rule],
                },
                codes,
              )}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** What to add for the next break or offer, cheapest first; what serves several rules is told once. */
function Nudges({
  nudges,
  goods,
  ruleName,
  onPut,
}: {
  nudges: NonNullable<BasketDetail["answer"]["nudges"]>;
  goods: Map<string, string>;
  ruleName: (code: string) => string;
  onPut: Props["onPut"];
}) {
  const rules = new Map<string, string[]>();
  for (const n of nudges) {
    const key = JSON.stringify(n.add);
    rules.set(key, [...(rules.get(key) ?? []), ruleName(n.rule)]);
  }
  const told = nudges.filter((n, i) => nudges.findIndex((m) => JSON.stringify(m.add) === JSON.stringify(n.add)) === i);
  if (told.length === 0) return null;
  return (
    <>
      <h3 className="mt-4 border-b pb-1">What to add next</h3>
      <ul data-testid="nudges">
        {told.map((n) => {
          const names = joined(rules.get(JSON.stringify(n.add)) ?? [], "and");
          return (
            <li key={JSON.stringify(n.add)} className="flex items-baseline gap-2 border-b border-dotted py-1.5">
              <span className="min-w-0">
                {joined(
                  n.add.map((x) => `${count(x.quantity)} ${goods.get(x.sku) ?? x.sku}`),
                  "and",
                )}{" "}
                <span className="text-quiet">
                  for {names}: {isZero(n.costs) ? "costs nothing more" : `${signed(n.costs)} to pay`}, saves{" "}
                  {amount(n.saves)}
                </span>
              </span>
              <Button className="ml-auto shrink-0" aria-label={`Add for ${names}`} onClick={() => onPut(n.add)}>
                Add
              </Button>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** The price rules that made the price of no unit, each with the first reason. */
function missedPrices(lines: Line[]) {
  const applied = new Set(lines.flatMap((l) => l.portions.flatMap((p) => p.rules)));
  const seen = new Map<string, { rule: string; reason: string; by?: string; counted?: string; wanted?: string }>();
  for (const m of lines.flatMap((l) => l.portions.flatMap((p) => (p.days ?? []).flatMap((d) => d.trail?.missed ?? []))))
    if (!applied.has(m.rule) && !seen.has(m.rule)) seen.set(m.rule, m);
  return [...seen.values()];
}

/** What the last change of the goods changed. */
function StepLine({
  step,
  rule,
}: {
  step: NonNullable<BasketDetail["step"]>;
  rule: (code: string) => React.ReactNode;
}) {
  const parts = (
    [
      [step.came, "comes in", "come in"],
      [step.went, "goes", "go"],
      [step.more, "applies more often", "apply more often"],
      [step.fewer, "applies less often", "apply less often"],
    ] as const
  ).filter(([list]) => list.length > 0);
  return (
    <p className="rounded-[3px] bg-wash px-2.5 py-1" data-testid="basket-step" role="status">
      <b className="font-semibold">{isZero(step.by) ? "The same to pay" : `${signed(step.by)} to pay`}</b>
      {parts.map(([list, one, many]) => (
        <span key={one}>
          ;{" "}
          {list.map((code, i) => (
            <span key={code}>
              {i > 0 && (i === list.length - 1 ? " and " : ", ")}
              {rule(code)}
            </span>
          ))}{" "}
          {list.length === 1 ? one : many}
        </span>
      ))}
      {parts.length === 0 && "; no rule came in or went"}
    </p>
  );
}

/** A line of the receipt; opened, it shows the way of each kind of unit to its price. */
function LineOf({
  line,
  name,
  rule,
  ruleName,
}: {
  line: Line;
  name: string;
  rule: (code: string) => React.ReactNode;
  ruleName: (code: string) => string;
}) {
  const [open, setOpen] = useState(false);
  if (line.total === null)
    return (
      <li className="flex border-b border-dotted py-1">
        <span>{name}</span>
        <span className="ml-auto text-quiet">no price, counts for nothing</span>
      </li>
    );
  const rules = [...new Set(line.portions.flatMap((p) => p.rules))];
  return (
    <li className="border-b border-dotted py-1">
      <button
        type="button"
        className="flex w-full items-baseline gap-2 text-left hover:bg-wash"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        <span className="min-w-0">
          {name}
          <span className="block text-[13px] text-quiet">
            {line.portions.map((p) => `${count(p.quantity)} × ${amount(p.unit)}`).join(" + ")}
            {rules.length > 0 ? `, by ${joined(rules.map(ruleName), "and")}` : ", at the list price"}
          </span>
        </span>
        <span className="ml-auto">{amount(line.subtotal)}</span>
      </button>
      {open &&
        line.portions.map((p, i) => (
          <div key={i} className="mb-2 border-l-2 border-ink/30 pl-3">
            {p.days?.map((d, k) => (
              <div key={k}>
                {(line.portions.length > 1 || (p.days?.length ?? 0) > 1) && (
                  <h4 className="mt-1.5 flex font-medium">
                    {count(p.quantity)} {p.quantity === 1 ? "piece" : "pieces"}
                    {d.days > 1 || (p.days?.length ?? 0) > 1
                      ? `, ${count(d.days)} ${d.days === 1 ? "day" : "days"}`
                      : ""}
                    <span className="ml-auto">{amount(d.trail?.finish?.rounded)}</span>
                  </h4>
                )}
                {d.trail && <Steps trail={d.trail} list={line.list} rule={rule} />}
              </div>
            ))}
          </div>
        ))}
    </li>
  );
}

const Sum = ({ name, value }: { name: string; value: string }) => (
  <div className="flex border-b border-dotted py-1">
    <span className="text-quiet">{name}</span>
    <span className="ml-auto">{amount(value)}</span>
  </div>
);

/** What is left of the whole. */
function Left({ detail }: { detail: BasketDetail }) {
  const m = detail.answer.margin;
  const unknown = detail.goods.filter((g) => !g.cost && detail.answer.lines.some((l) => l.sku === g.sku));
  if (!m)
    return unknown.length > 0 ? (
      <p className="mt-2 text-quiet">
        No margin can be named: the cost of{" "}
        {joined(
          unknown.slice(0, 3).map((g) => g.name || g.sku),
          "and",
        )}{" "}
        is unknown.
      </p>
    ) : null;
  const below = m.amount.startsWith("-");
  return (
    <p className={`mt-2 flex border-t pt-1 font-semibold ${below ? "text-bad" : ""}`} data-testid="basket-margin">
      <span>
        {below ? "Below cost" : "Margin"}
        <span className="font-normal text-quiet">
          {" "}
          {amount(m.net)} without tax
          {isZero(m.fee) ? "" : `, ${amount(m.fee)} kept by the channel`}, cost {amount(m.cost)}
        </span>
      </span>
      <span className="ml-auto whitespace-nowrap">
        {amount(m.amount)} {m.percent && <span className="font-normal">{amount(m.percent)} %</span>}
      </span>
    </p>
  );
}
