import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Pin } from "lucide-react";
import { useState } from "react";
import { pinCheck } from "../../api/checks";
import { useMay } from "../../api/session";
import type { BasketDetail } from "../../api/client";
import type { Viewpoint } from "../../api/viewpoint";
import { amount, errorText } from "../../lib/format";
import { useKeys } from "../../lib/keys";
import { joined } from "../../lib/sentence";
import { Button } from "../../ui/button";
import { DecimalInput } from "../../ui/decimal-input";
import { FieldError } from "../../ui/states";

/** Pins what the basket costs: it is checked at every change from then on. */
export function PinBasket({ detail, viewpoint }: { detail: BasketDetail; viewpoint: Viewpoint }) {
  const may = useMay("manager");
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const [title, setTitle] = useState("");
  const [total, setTotal] = useState("");
  const pin = useMutation({
    mutationFn: () => pinCheck({ name: title, doc: { basket: detail.doc, is: { total: total.trim() } } }),
    onSuccess: async () => {
      setOpen(false);
      await client.invalidateQueries({ queryKey: ["book", "checks"] });
    },
  });
  const start = () => {
    pin.reset();
    const names = new Map(detail.goods.map((g) => [g.sku, g.name || g.sku]));
    const lines = detail.answer.lines.map((l) => `${l.quantity} ${names.get(l.sku) ?? l.sku}`);
    setTitle(
      joined(lines.length > 3 ? [...lines.slice(0, 2), `${lines.length - 2} more`] : lines, "and").slice(0, 200),
    );
    setTotal(detail.answer.total);
    setOpen(true);
  };
  useKeys({ p: () => may && start() });
  if (!may) return null;
  if (!open)
    return (
      <Button look="bare" className="ml-auto" onClick={start}>
        <Pin size={13} aria-hidden /> {pin.isSuccess ? "Pinned" : "Pin as check"}
      </Button>
    );
  return (
    <form
      aria-label="Pin this basket"
      className="mt-2 w-full space-y-1.5 rounded-[4px] border border-ink/40 px-3 py-2 text-[14px]"
      onSubmit={(e) => {
        e.preventDefault();
        pin.mutate();
      }}
    >
      <p className="text-quiet">
        Every change of the book says from now on whether this basket, bought then and there, would no longer cost{" "}
        {amount(total || null)}.
      </p>
      {viewpoint.attrs !== "" && (
        <FieldError>
          A pinned basket cannot assume what a customer is like: ask for a customer who is, then pin that.
        </FieldError>
      )}
      <input
        aria-label="What is expected"
        className="field w-full"
        maxLength={200}
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <div className="flex items-center gap-2">
        <DecimalInput aria-label="Expected total" className="field w-24 text-right" value={total} onChange={setTotal} />
        <Button look="ink" type="submit" disabled={pin.isPending || viewpoint.attrs !== "" || total.trim() === ""}>
          Pin the basket
        </Button>
        <Button onClick={() => setOpen(false)}>Leave it</Button>
      </div>
      <FieldError>{pin.error ? errorText(pin.error) : undefined}</FieldError>
    </form>
  );
}
