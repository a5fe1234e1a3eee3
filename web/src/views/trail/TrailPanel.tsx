import { X } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { usePrice } from "../../api/prices";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import { carried } from "../../lib/address";
import { useNames } from "../../lib/names";
import { useViewpoint } from "../../lib/viewpoint";
import type { Layer, PriceDetail, Trail } from "../../api/client";
import { amount, day, isZero, moment } from "../../lib/format";
import { reasonWords } from "../../lib/sentence";
import { Button } from "../../ui/button";
import { LayerMark } from "../../ui/layer-mark";
import { Empty, Failed } from "../../ui/states";
import { Elsewhere } from "../../parts/products/Elsewhere";
import { PinPrice } from "./PinPrice";
import { Stair } from "./Stair";
import { WhyNot } from "../../parts/rule/WhyNot";
import { Steps } from "../../parts/trail/Steps";
import { productPage } from "../../lib/sku";

/** The way from the list price of the selected product to its price, and every rule that did not apply with its reason. */
export function TrailPanel() {
  const { viewpoint, params, set, ready } = useViewpoint();
  const sku = params.get("sku") ?? "";
  const { data, error, refetch } = usePrice(viewpoint, ready ? sku : "");
  return (
    <aside
      aria-label="Trail"
      tabIndex={-1}
      className="flex w-[364px] shrink-0 flex-col overflow-y-auto border-l-2 border-ink bg-sheet max-[1100px]:w-[320px]"
    >
      <div className="flex items-start gap-2 px-4 pt-3">
        <div className="min-w-0">
          <h2 className="text-[16px] leading-snug">{sku === "" ? "Trail" : (data?.product.name ?? sku)}</h2>
          {data && sku !== "" && (
            <p className="text-quiet">
              <Link
                className="underline decoration-1 underline-offset-2"
                to={productPage(data.product.sku) + carried(params)}
              >
                {data.product.sku}
              </Link>{" "}
              · {data.product.category.split("/").join(" › ")}
            </p>
          )}
        </div>
        <Button look="bare" className="ml-auto" aria-label="Close the trail" onClick={() => set({ trail: null })}>
          <X size={16} aria-hidden />
        </Button>
      </div>
      {sku === "" ? (
        <Empty title="No product is selected">Select a row of the board to see how its price comes about.</Empty>
      ) : error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : data ? (
        <Way detail={data} viewpoint={viewpoint} />
      ) : null}
    </aside>
  );
}

/** Since when a figure holds, and what it will be. */
function figureWords(f: NonNullable<PriceDetail["product"]["figures"]>[number], now?: string): string {
  const parts = [];
  if (f.since) parts.push(`since ${moment(f.since, now)}`);
  if (f.next) parts.push(`from ${moment(f.next, now)} ${amount(f.then)}`);
  return parts.join(", ");
}

function Way({ detail, viewpoint }: { detail: PriceDetail; viewpoint: Viewpoint }) {
  const { params } = useViewpoint();
  const { data: state } = useProgramState();
  const { answer, product } = detail;
  const [why, setWhy] = useState("");
  const names = new Map(detail.rules.map((r) => [r.code, r.name]));
  const rule = (code: string) => (
    <Link
      className="font-medium underline decoration-1 underline-offset-2"
      to={`/stack/rule/${encodeURIComponent(code)}${carried(params)}`}
    >
      {names.get(code) ?? code}
    </Link>
  );
  const list = product.figures?.find((f) => f.figure === "list");
  const cost = product.figures?.find((f) => f.figure === "cost");
  const listNote = list && figureWords(list, state?.now);
  const trail = answer.trail;
  const codes = useNames();
  const missed = missedBy(answer);
  const quantity = answer.quantity > 1 ? `${answer.quantity} × ` : "";
  return (
    <div className="px-4 pb-6">
      <p className="mt-1 text-quiet">{moment(detail.at, state?.now)}</p>
      <p className="mt-2 flex flex-wrap items-baseline gap-2">
        <span className="text-[28px] font-semibold" data-testid="trail-price">
          {answer.unit === null ? "No price" : amount(answer.unit)}
        </span>
        <span className="text-quiet">
          {answer.unit !== null && answer.currency}
          {answer.quantity > 1 && answer.total && ` · ${quantity}= ${amount(answer.total)}`}
        </span>
        <PinPrice key={product.sku} detail={detail} viewpoint={viewpoint} />
      </p>
      {detail.reduced && (
        <p className="text-quiet" data-testid="reduced-from">
          shown as reduced from <s className="text-ink">{amount(detail.reduced.price)}</s>,{" "}
          {referenceWords[detail.reduced.kind]}
        </p>
      )}
      {answer.portions.length > 1 ? (
        answer.portions.map((p, i) => (
          <section key={i} className="mt-3" data-testid="portion">
            <h3 className="flex">
              {p.quantity} {p.quantity === 1 ? "piece" : "pieces"}
              <span className="ml-auto">{p.unit === null ? "no price" : `at ${amount(p.unit)}`}</span>
            </h3>
            {p.trail && <Steps trail={p.trail} list={answer.list} rule={rule} listNote={listNote} />}
          </section>
        ))
      ) : trail ? (
        <>
          <Stair trail={trail} list={answer.list} unit={answer.unit} />
          <Steps trail={trail} list={answer.list} rule={rule} listNote={listNote} />
        </>
      ) : null}
      {answer.portions.length > 1 && answer.unit !== null && (
        <p className="mt-3 font-medium">
          {amount(answer.unit)} a piece, over all {answer.quantity}:
        </p>
      )}
      {answer.margin && <Margin margin={answer.margin} lowest={detail.lowest} />}
      {product.tax && (
        <p className="mt-1 text-[13px] text-quiet" data-testid="tax-here">
          {product.tax.percent} % tax in {product.tax.country};{" "}
          {product.tax.keeps === "net" ? "what is left without tax is kept" : "the price is kept"}
        </p>
      )}
      {product.onRequest && <p className="mt-3 text-quiet">Its price is on request: no rule gives it one.</p>}
      {cost && <p className="mt-1 text-[13px] text-quiet">The cost: {figureWords(cost, state?.now)}</p>}
      {!answer.margin && answer.unit !== null && (
        <p className="mt-3 text-quiet">The cost is unknown, so no margin can be named.</p>
      )}
      <h3 className="mt-5 border-b pb-1">Did not apply</h3>
      {missed.length === 0 && <p className="mt-1.5 text-quiet">No other rule selects this product.</p>}
      <ul className="mt-1.5 space-y-1.5">
        {missed.map((m) => (
          <li key={m.rule} className="flex gap-2">
            <span className="mt-[3px] opacity-60">
              <LayerMark layer={m.layer as Layer} />
            </span>
            <span>
              {rule(m.rule)}{" "}
              {reasonWords(
                m.reason,
                {
                  ...m,
                  by: names.get(m.by ?? "") ?? m.by,
                  opens: day(detail.opens[m.rule] ?? "", state?.now),
                  unmet: detail.unmet[m.rule],
                },
                codes,
              )}
              {m.would && <span className="text-quiet">, would give {amount(m.would)}</span>}
              {m.by && (
                <button
                  type="button"
                  className="ml-2 text-[13px] text-quiet underline underline-offset-2 hover:text-ink"
                  aria-label={`Where ${names.get(m.rule) ?? m.rule} is not at work, and why`}
                  onClick={() => setWhy(m.rule)}
                >
                  elsewhere?
                </button>
              )}
            </span>
          </li>
        ))}
      </ul>
      {why !== "" && <WhyNot code={why} onClose={() => setWhy("")} />}
      <Elsewhere viewpoint={viewpoint} sku={product.sku} />
      <h3 className="mt-5 border-b pb-1">What the channels show</h3>
      <table className="mt-1.5 w-full">
        <tbody>
          {detail.shown.map((c) => (
            <tr key={c.channel}>
              <td className="py-0.5">{c.name}</td>
              <td className="text-right font-medium">
                {c.reference && <s className="mr-2 font-normal text-quiet">{amount(c.reference)}</s>}
                {c.price === null ? <span className="text-quiet">nothing</span> : amount(c.price)}
              </td>
              <td className="pl-3 text-right text-quiet">
                {c.price === null ? "" : `since ${moment(c.since, state?.now)}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <dl className="mt-5 grid grid-cols-[88px_minmax(0,1fr)] [overflow-wrap:anywhere] gap-y-0.5 border-t pt-2">
        {(
          [
            ["Brand", product.brand],
            ["Supplier", product.supplier],
            ["Tags", product.tags.join(", ")],
            ["Live tags", detail.liveTags.add.join(", ")],
            ["Tags off", detail.liveTags.remove.join(", ")],
            ["Stock", product.stock],
            ["Sold, 30 days", product.sold],
          ] as const
        ).map(([name, value]) =>
          value ? (
            <div key={name} className="contents">
              <dt className="text-quiet">{name}</dt>
              <dd>{value}</dd>
            </div>
          ) : null,
        )}
      </dl>
    </div>
  );
}

/** What a reduction is shown against. */
const referenceWords = {
  lowest30: "the lowest price of the 30 days before it was reduced",
  catalog: "the price before sales",
  list: "the list price",
  rrp: "the recommended price",
};

/** The rules that made the price of no piece, each with the first reason. */
function missedBy({ portions, rules }: PriceDetail["answer"]): Trail["missed"] {
  const seen = new Map<string, Trail["missed"][number]>();
  for (const m of portions.flatMap((p) => p.trail?.missed ?? []))
    if (!rules.includes(m.rule) && !seen.has(m.rule)) seen.set(m.rule, m);
  return [...seen.values()];
}

function Margin({ margin, lowest }: { margin: NonNullable<PriceDetail["answer"]["margin"]>; lowest: string | null }) {
  const below = margin.amount.startsWith("-");
  const rows: [string, string][] = [
    ["Price without tax", margin.net],
    ...(isZero(margin.fee) ? [] : ([["The channel keeps", "-" + margin.fee]] as [string, string][])),
    ["Cost", "-" + margin.cost],
  ];
  return (
    <div className="mt-3">
      {rows.map(([name, value]) => (
        <div key={name} className="flex">
          <span className="text-quiet">{name}</span>
          <span className="ml-auto">{amount(value)}</span>
        </div>
      ))}
      <div className={`mt-0.5 flex border-t pt-0.5 font-semibold ${below ? "text-bad" : ""}`}>
        <span>Margin</span>
        <span className="ml-auto">
          {amount(margin.amount)}
          {margin.percent && <span className="ml-2 font-normal">{amount(margin.percent)} %</span>}
        </span>
      </div>
      {below && (
        <p role="alert" className="mt-2 rounded-[3px] bg-badwash px-2 py-1.5 font-medium text-bad">
          Below cost.{lowest ? ` The lowest permitted price is ${amount(lowest)}.` : ""}
        </p>
      )}
    </div>
  );
}
