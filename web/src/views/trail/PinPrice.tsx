import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Pin } from "lucide-react";
import { useState } from "react";
import { pinCheck, priceAsked } from "../../api/checks";
import { useMay } from "../../api/session";
import type { Viewpoint } from "../../api/viewpoint";
import type { PriceDetail } from "../../api/client";
import { amount, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { FieldError } from "../../ui/states";
import { DecimalInput } from "../../ui/decimal-input";

/** Pins the price that is seen: it is checked at every change from then on. */
export function PinPrice({ detail, viewpoint }: { detail: PriceDetail; viewpoint: Viewpoint }) {
  const may = useMay("manager");
  const client = useQueryClient();
  const { sku, name } = detail.product;
  const [open, setOpen] = useState(false);
  const [title, setTitle] = useState("");
  const [unit, setUnit] = useState("");
  const pin = useMutation({
    mutationFn: () =>
      pinCheck({
        name: title,
        doc: {
          price: priceAsked(sku, detail.at, viewpoint),
          is: { unit: unit.trim() === "" ? null : unit.trim() },
        },
      }),
    onSuccess: async () => {
      setOpen(false);
      await client.invalidateQueries({ queryKey: ["book", "checks"] });
    },
  });
  if (!may) return null;
  if (!open)
    return (
      <Button
        look="bare"
        className="ml-auto"
        onClick={() => {
          pin.reset();
          setTitle(`${name || sku}${viewpoint.quantity > 1 ? `, ${viewpoint.quantity} pieces` : ""}`);
          setUnit(detail.answer.unit ?? "");
          setOpen(true);
        }}
      >
        <Pin size={13} aria-hidden /> {pin.isSuccess ? "Pinned" : "Pin"}
      </Button>
    );
  return (
    <form
      aria-label="Pin this price"
      className="mt-2 w-full space-y-1.5 rounded-[4px] border border-ink/40 px-3 py-2 text-[14px]"
      onSubmit={(e) => {
        e.preventDefault();
        pin.mutate();
      }}
    >
      <p className="text-quiet">
        Every change of the book says from now on whether this price, at this viewpoint and moment, would no longer be{" "}
        {amount(unit || null)}.
      </p>
      {viewpoint.attrs !== "" && (
        <FieldError>
          A pinned price cannot assume what a customer is like: ask for a customer who is, then pin that.
        </FieldError>
      )}
      <input
        aria-label="What is expected"
        className="field w-full"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <div className="flex items-center gap-2">
        <DecimalInput
          aria-label="Expected price"
          placeholder="no price"
          className="field w-24 text-right"
          value={unit}
          onChange={setUnit}
        />
        <Button look="ink" type="submit" disabled={pin.isPending || viewpoint.attrs !== ""}>
          Pin the price
        </Button>
        <Button onClick={() => setOpen(false)}>Leave it</Button>
      </div>
      <FieldError>{pin.error ? errorText(pin.error) : undefined}</FieldError>
    </form>
  );
}
