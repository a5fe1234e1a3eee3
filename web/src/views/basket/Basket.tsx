import { useEffect, useMemo, useRef, useState } from "react";
import { useBasket } from "../../api/basket";
import { Problem } from "../../api/client";
import { linesText, readBasket, type BasketLine } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { Button } from "../../ui/button";
import { DecimalInput } from "../../ui/decimal-input";
import { Empty } from "../../ui/states";
import { AddGoods } from "./AddGoods";
import { Lines } from "./Lines";
import { Receipt } from "./Receipt";

const kept = "basket";

/** A till for trying: goods on the left, and beside them what they cost together and why. The basket is the address. */
export function Basket() {
  const { viewpoint, params, set, ready } = useViewpoint();
  const text = params.toString();
  const basket = useMemo(() => readBasket(new URLSearchParams(text)), [text]);
  const [before, setBefore] = useState<BasketLine[] | null>(null);
  // The newest lines, also between a change and the drawing that follows: two changes in a row are both kept.
  const latest = useRef(basket.lines);
  useEffect(() => {
    latest.current = basket.lines;
    if (basket.lines.length === 0) return;
    const { lines, codes, shipping } = basket;
    sessionStorage.setItem(kept, JSON.stringify({ lines: linesText(lines), codes: codes.join(","), shipping }));
  }, [basket]);
  // Whoever comes back from another view finds the basket as it was left.
  const begun = useRef(false);
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    const left = sessionStorage.getItem(kept);
    if (left && !params.has("lines")) set(JSON.parse(left) as Record<string, string>);
  }, [params, set]);
  const asked = { lines: basket.lines, codes: basket.codes, shipping: basket.shipping, before };
  const answer = useBasket(viewpoint, asked, ready && basket.lines.length > 0);
  const change = (make: (lines: BasketLine[]) => BasketLine[]) => {
    const lines = latest.current;
    setBefore(lines);
    const next = make(lines);
    latest.current = next;
    if (next.length === 0) sessionStorage.removeItem(kept);
    set({ lines: linesText(next) });
  };
  const put = (goods: BasketLine[]) =>
    change((lines) =>
      goods.reduce((lines, { sku, quantity }) => {
        const at = lines.findIndex((l) => l.sku === sku && !l.hire && !l.options && !l.byHand && !l.term);
        return at < 0
          ? [...lines, { sku, quantity }]
          : lines.map((l, i) => (i === at ? { ...l, quantity: l.quantity + quantity } : l));
      }, lines),
    );
  const problem = answer.error instanceof Problem ? answer.error : null;
  const wrong = new Map(problem?.details.map((d) => [d.location.replace(/^body\./, ""), d.message]));
  const shown = basket.lines.length > 0 ? answer.data : undefined;
  return (
    <div className="flex h-full min-h-0">
      <section aria-label="Goods" className="@container min-w-0 flex-1 overflow-y-auto px-5 py-3">
        <AddGoods onPut={(sku, quantity) => put([{ sku, quantity }])} />
        {basket.lines.length === 0 ? (
          <Empty title="The basket is empty">
            Type the name or the SKU of something that customers buy together. Each piece that goes in says what it
            changes, and which offers come in or not.
          </Empty>
        ) : (
          <>
            <Lines lines={basket.lines} detail={shown} wrong={wrong} change={change} />
            <div className="mt-3 flex items-center gap-3 border-t pt-2">
              <label className="text-quiet" htmlFor="shipping">
                Shipping
              </label>
              <DecimalInput
                id="shipping"
                aria-invalid={wrong.has("shipping")}
                placeholder="none"
                className="field w-24 text-right"
                value={basket.shipping}
                onChange={(shipping) => set({ shipping })}
              />
              {wrong.has("shipping") && (
                <span role="alert" className="font-medium text-bad">
                  {wrong.get("shipping")}
                </span>
              )}
              <Button className="ml-auto" onClick={() => change(() => [])}>
                Empty the basket
              </Button>
            </div>
          </>
        )}
      </section>
      <Receipt
        detail={shown}
        problem={problem}
        error={answer.error}
        stale={answer.isPlaceholderData}
        empty={basket.lines.length === 0}
        viewpoint={viewpoint}
        onPut={put}
      />
    </div>
  );
}
