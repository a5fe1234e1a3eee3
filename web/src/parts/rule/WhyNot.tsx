import { Link } from "react-router";
import { useWhyNot } from "../../api/flags";
import { useRules } from "../../api/rules";
import { useProgramState } from "../../api/state";
import { boardAt, carried, whoAsks } from "../../lib/address";
import { count, moment } from "../../lib/format";
import { useWhoNames } from "../../lib/names";
import { reasonWords } from "../../lib/sentence";
import { useViewpoint } from "../../lib/viewpoint";
import { LayerMark } from "../../ui/layer-mark";
import { SheetDialog } from "../../ui/sheet-dialog";
import type { Layer } from "../../api/client";

/** What a rule does that keeps another from its turn. */
const before: Record<string, string> = {
  outranked: "comes first",
  "not-lowest": "makes a lower price",
  "not-highest": "makes a higher price",
  "layer-ended": "ends the layer before",
  "price-ended": "ends the price before",
};

/** Why a rule does not take effect: what stands before it, on how many products, with a moment that shows it. */
export function WhyNot({ code, onClose }: { code: string; onClose: () => void }) {
  const { data } = useWhyNot(code, true);
  const { data: rules } = useRules();
  const { data: state } = useProgramState();
  const { params } = useViewpoint();
  const who = useWhoNames();
  const row = rules?.find((r) => r.rule.code === code);
  const title = row?.rule.name ?? code;
  const most = Math.max(1, data?.reach ?? 1);
  const bar = (n: number) => ({ width: n === 0 ? 0 : `${Math.max(0.6, (100 * n) / most).toFixed(2)}%` });
  return (
    <SheetDialog title={<>Why “{title}” is not at work</>} width={760} onClose={onClose}>
      {!data?.known ? (
        <p className="py-6 text-quiet">Looking at every question that it fits …</p>
      ) : (
        <div data-testid="why-not">
          <p className="mt-1 text-quiet">
            It selects {count(data.reach)} {data.reach === 1 ? "product" : "products"}. At some moment of these weeks,
            for somebody and somewhere, it makes the price of {count(data.applies)}.
          </p>
          <ul className="mt-3">
            <li className="py-1.5">
              <span className="flex items-baseline justify-between gap-3">
                <span className="font-medium">
                  {row && <LayerMark layer={row.rule.layer} />} {title} itself
                </span>
                <span>{count(data.applies)}</span>
              </span>
              <span className="mt-1 block h-2 rounded-[2px] bg-wash">
                <span className="block h-2 rounded-[2px] bg-ink" style={bar(data.applies)} />
              </span>
            </li>
            {data.shutters.map((s) => (
              <li
                key={`${s.by ?? ""} ${s.reason}`}
                className="border-t border-dotted py-1.5"
                data-shutter={s.by ?? s.reason}
              >
                <span className="flex items-baseline justify-between gap-3">
                  <span>
                    {s.by ? (
                      <>
                        <LayerMark layer={s.layer as Layer} />{" "}
                        <Link
                          className="font-medium underline decoration-1 underline-offset-2"
                          to={`/stack/rule/${encodeURIComponent(s.by)}${carried(params)}`}
                        >
                          {s.name ?? s.by}
                        </Link>
                        <span className="text-quiet">
                          , rank {s.rank}, {before[s.reason] ?? reasonWords(s.reason)}
                        </span>
                      </>
                    ) : (
                      <span className="text-quiet">No rule stands before it: it {reasonWords(s.reason)}</span>
                    )}
                  </span>
                  <span>{count(s.products)}</span>
                </span>
                <span className="mt-1 block h-2 rounded-[2px] bg-wash">
                  <span className="block h-2 rounded-[2px] bg-bad/70" style={bar(s.products)} />
                </span>
                <span className="mt-0.5 block text-[13px] text-quiet">
                  such as {s.example || s.witness.sku}, {moment(s.witness.at, state?.now)}
                  {whoAsks(s.witness) && `, ${who(whoAsks(s.witness))}`}
                  {(s.witness.quantity ?? 1) > 1 && `, ${count(s.witness.quantity ?? 1)} pieces`}{" "}
                  <Link className="text-ink underline underline-offset-2" to={boardAt(s.witness)}>
                    Show me
                  </Link>
                </span>
              </li>
            ))}
          </ul>
          {data.shutters.length === 0 && data.applies === 0 && (
            <p className="mt-2 text-quiet">
              It fits no question of these weeks: look at its state, its time, its channels and whom it is for.
            </p>
          )}
        </div>
      )}
    </SheetDialog>
  );
}
