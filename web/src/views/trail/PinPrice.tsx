import { priceAsked } from "../../api/checks";
import type { PriceDetail } from "../../api/client";
import type { Viewpoint } from "../../api/viewpoint";
import { amount } from "../../lib/format";
import { PinForm } from "../../parts/checks/PinForm";

/** Pins the price that is seen. */
export function PinPrice({ detail, viewpoint }: { detail: PriceDetail; viewpoint: Viewpoint }) {
  const { sku, name } = detail.product;
  return (
    <PinForm
      what="price"
      verb="Pin"
      viewpoint={viewpoint}
      title={`${name || sku}${viewpoint.quantity > 1 ? `, ${viewpoint.quantity} pieces` : ""}`}
      value={detail.answer.unit ?? ""}
      valueName="Expected price"
      empty="no price"
      about={(unit) => (
        <>
          Every change of the book says from now on whether this price, at this viewpoint and moment, would no longer be{" "}
          {amount(unit || null)}.
        </>
      )}
      doc={(unit) => ({ price: priceAsked(sku, detail.at, viewpoint), is: { unit: unit === "" ? null : unit } })}
    />
  );
}
