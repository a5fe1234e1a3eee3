import type { Layer, Trail } from "../../api/client";
import { amount } from "../../lib/format";
import { LayerMark } from "../../ui/layer-mark";
import { Tip } from "../../ui/tip";

/** What the core kept of a price between two rules may have many digits; the first four say enough beside a name. */
const shortened = (text: string | null | undefined) => amount(text).replace(/(\.\d{4})\d+$/, "$1…");

const shapedWords: Record<string, string> = {
  "max-off": "held by its greatest reduction",
  floor: "lifted to its floor",
  ending: "given its ending",
  zero: "held at 0",
};

/** List price, each rule that applied, and the finish, as a stair of figures. */
export function Steps({
  trail,
  list,
  rule,
  listNote,
}: {
  trail: Trail;
  list: string | null;
  /** Since when the list price holds, and what comes next. */
  listNote?: string | undefined;
  rule: (code: string) => React.ReactNode;
}) {
  const f = trail.finish;
  const line = "flex items-baseline gap-2 border-b border-dotted py-1.5";
  return (
    <ol className="mt-2">
      <li className={line}>
        <span className="text-quiet">
          List price
          {listNote && <span className="block text-[12px]">{listNote}</span>}
        </span>
        <span className="ml-auto">{amount(list)}</span>
      </li>
      {trail.steps.map((s) => (
        <li key={s.rule} className={line}>
          <span className="self-center">
            <LayerMark layer={s.layer as Layer} size={13} />
          </span>
          <span className="min-w-0">
            {rule(s.rule)}
            {s.from && <span className="text-quiet"> from {s.from}</span>}
            {s.basis && <span className="text-quiet"> on {amount(s.basis)}</span>}
            {s.shaped?.map((w) => (
              <span key={w} className="block text-[12px] text-quiet">
                {amount(s.raw)}, {shapedWords[w] ?? w}
              </span>
            ))}
            {s.before === s.after && <span className="block text-[12px] text-quiet">changes nothing here</span>}
            {s.ended && <span className="block text-[12px] text-quiet">ends the {s.ended}</span>}
          </span>
          <span className="ml-auto text-right">
            <Tip text={amount(s.after)}>
              <span className="font-medium">{shortened(s.after)}</span>
            </Tip>
            {s.share && (
              <Tip text={`a margin of ${amount(s.left)}, were this the price`}>
                <span
                  className={`block text-[12px] ${s.left?.startsWith("-") ? "font-medium text-bad" : "text-quiet"}`}
                >
                  {amount(s.share)} %
                </span>
              </Tip>
            )}
          </span>
        </li>
      ))}
      {f?.taxFactor && (
        <li className={line}>
          <span className="text-quiet">Tax converted for the channel</span>
          <span className="ml-auto">× {f.taxFactor}</span>
        </li>
      )}
      {f?.ending && (
        <li className={line}>
          <span className="text-quiet">The channel's ending</span>
          <span className="ml-auto">{amount(f.rounded)}</span>
        </li>
      )}
      {f && !f.ending && f.raw !== f.rounded && !f.taxFactor && (
        <li className={line}>
          <span className="text-quiet">Rounded to the minor unit</span>
          <span className="ml-auto">{amount(f.rounded)}</span>
        </li>
      )}
      {f?.held && (
        <li className={line}>
          <span className="text-quiet">Lifted to the lowest permitted price</span>
          <span className="ml-auto">{amount(f.lowest)}</span>
        </li>
      )}
    </ol>
  );
}
