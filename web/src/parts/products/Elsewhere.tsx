import { Link } from "react-router";
import { useOutlook } from "../../api/prices";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import { carried } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import type { Layer, Outlook } from "../../api/client";
import { amount, moment } from "../../lib/format";
import { standingWords } from "../../lib/sentence";
import { LayerMark } from "../../ui/layer-mark";
import { PriceOver } from "./PriceOver";

/** The same product over the time ahead, for every group and quantity, and what was published before. */
export function Elsewhere({ viewpoint, sku, open = false }: { viewpoint: Viewpoint; sku: string; open?: boolean }) {
  const { data } = useOutlook(viewpoint, sku);
  const { data: state } = useProgramState();
  const { params, set } = useViewpoint();
  if (!data) return null;
  const now = state?.now ?? "";
  return (
    <>
      <h3 className="mt-5 border-b pb-1">The next 90 days</h3>
      <div className="mt-1.5">
        <PriceOver outlook={data} now={now} />
      </div>
      {data.lowest30 && (
        <p className="mt-1" data-testid="lowest30">
          Lowest published in the last 30 days: <b>{amount(data.lowest30.price)}</b>{" "}
          <span className="text-quiet">since {moment(data.lowest30.from, now)}</span>
        </p>
      )}
      <h3 className="mt-5 border-b pb-1">For whom and how many</h3>
      <Matrix outlook={data} who={viewpoint.who} onPick={(who) => set({ who })} />
      <details className="mt-5" open={open}>
        <summary className="cursor-pointer border-b pb-1 font-semibold">
          Every rule that selects it <span className="font-normal">{data.rules.length}</span>
        </summary>
        <ul className="mt-1.5 space-y-1">
          {data.rules.map((r) => (
            <li key={r.code} className="flex items-baseline gap-2">
              <span className="self-center">
                <LayerMark layer={r.layer as Layer} />
              </span>
              <Link
                className="min-w-0 truncate underline decoration-1 underline-offset-2"
                to={`/stack/rule/${encodeURIComponent(r.code)}${carried(params)}`}
              >
                {r.name}
              </Link>
              <span className="ml-auto shrink-0 text-quiet">{standingWords(r, now)}</span>
            </li>
          ))}
        </ul>
      </details>
    </>
  );
}

/**
 * The price for each group from each quantity on at which one of them changes. Quantities that change nothing share the
 * column before them, so that it fits where the trail is drawn.
 */
function Matrix({ outlook, who, onPick }: { outlook: Outlook; who: string; onPick: (who: string) => void }) {
  const columns = outlook.quantities.flatMap((from, i) =>
    i === 0 || outlook.rows.some((r) => r.prices[i] !== r.prices[i - 1]) ? [{ from, i }] : [],
  );
  const single = outlook.rows[0]?.prices[0];
  return (
    <div className="overflow-x-auto" data-testid="matrix">
      <table className="mt-1 w-full text-[13px]">
        <thead className="text-quiet">
          <tr className="bg-sheet">
            <th className="sticky left-0 bg-inherit text-left font-normal">{columns.length > 1 ? "from" : ""}</th>
            {columns.map((c) => (
              <th key={c.from} className="pl-2 text-right font-normal">
                {c.from}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {outlook.rows.map((r) => (
            <tr key={r.who} className={r.who === who ? "bg-wash" : "bg-sheet"}>
              <td className="sticky left-0 max-w-[112px] truncate bg-inherit py-0.5" title={r.name}>
                <button
                  type="button"
                  className="underline-offset-2 hover:underline"
                  onClick={() => {
                    onPick(r.who);
                  }}
                >
                  {r.name}
                </button>
              </td>
              {columns.map(({ from, i }) => (
                <td
                  key={from}
                  className={`pl-2 text-right whitespace-nowrap ${r.prices[i] !== single ? "font-medium" : "text-quiet"}`}
                >
                  {amount(r.prices[i])}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
