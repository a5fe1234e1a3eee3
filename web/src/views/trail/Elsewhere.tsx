import { Link } from "react-router";
import type { Layer } from "../../api/client";
import { useOutlook, useProgramState, type Viewpoint } from "../../api/queries";
import { amount, moment } from "../../lib/format";
import { carried, useViewpoint } from "../../lib/viewpoint";
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
      <div className="overflow-x-auto">
        <table className="mt-1 w-full text-[13px]" data-testid="matrix">
          <thead className="text-quiet">
            <tr>
              <th className="text-left font-normal"> </th>
              {data.quantities.map((n) => (
                <th key={n} className="px-1 text-right font-normal">
                  {n}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.rows.map((r) => (
              <tr key={r.who} className={r.who === viewpoint.who ? "bg-wash" : ""}>
                <td className="max-w-[104px] truncate py-0.5" title={r.name}>
                  <button
                    type="button"
                    className="underline-offset-2 hover:underline"
                    onClick={() => set({ who: r.who })}
                  >
                    {r.name}
                  </button>
                </td>
                {r.prices.map((p, i) => (
                  <td
                    key={i}
                    className={`px-1 text-right whitespace-nowrap ${p !== data.rows[0]?.prices[0] ? "font-medium" : "text-quiet"}`}
                  >
                    {amount(p)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
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
              <span className="ml-auto text-quiet">{r.state}</span>
            </li>
          ))}
        </ul>
      </details>
    </>
  );
}
