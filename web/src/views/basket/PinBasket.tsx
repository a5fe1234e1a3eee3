import type { BasketDetail } from "../../api/client";
import type { Viewpoint } from "../../api/viewpoint";
import { amount } from "../../lib/format";
import { joined } from "../../lib/sentence";
import { PinForm } from "../../parts/checks/PinForm";

/** Pins what the basket costs. */
export function PinBasket({ detail, viewpoint }: { detail: BasketDetail; viewpoint: Viewpoint }) {
  const names = new Map(detail.goods.map((g) => [g.sku, g.name || g.sku]));
  const lines = detail.answer.lines.map((l) => `${l.quantity} ${names.get(l.sku) ?? l.sku}`);
  return (
    <PinForm
      what="basket"
      byKey="p"
      verb="Pin as check"
      viewpoint={viewpoint}
      title={joined(lines.length > 3 ? [...lines.slice(0, 2), `${lines.length - 2} more`] : lines, "and")}
      value={detail.answer.total}
      valueName="Expected total"
      about={(total) => (
        <>
          Every change of the book says from now on whether this basket, bought then and there, would no longer cost{" "}
          {amount(total || null)}.
        </>
      )}
      doc={(total) => ({ basket: detail.doc, is: { total } })}
    />
  );
}
