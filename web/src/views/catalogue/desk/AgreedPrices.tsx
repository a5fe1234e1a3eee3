import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { agree, agreedComparisonQuery, agreedQuery, fixAgreed } from "../../../api/agreed";
import { useSave } from "../../../api/saving";
import { useMay } from "../../../api/session";
import { carried } from "../../../lib/address";
import { Problem, type Layer } from "../../../api/client";
import { amount, errorText } from "../../../lib/format";
import { Button } from "../../../ui/button";
import { ProductFinder } from "../../../parts/products/ProductFinder";
import { Unfixed } from "../../../parts/rule/Unfixed";
import { LayerMark } from "../../../ui/layer-mark";
import { ImportLink } from "../../../parts/imports/ImportLink";
import { FieldError } from "../../../ui/states";
import { Tip } from "../../../ui/tip";
import { DecimalInput } from "../../../ui/decimal-input";

/** What was agreed with a customer, price by price, and every other rule that names the customer. */
export function AgreedPrices({ customer }: { customer: string }) {
  const [params] = useSearchParams();
  const may = useMay("manager");
  const { data } = useQuery(agreedQuery(customer));
  const [sku, setSku] = useState("");
  const [price, setPrice] = useState("");
  const save = useSave((body: { sku: string; price: string }, seen) => agree({ customer, body }, seen));
  const fix = useSave((fixed: boolean, seen) => fixAgreed({ customer, fixed }, seen));
  const { data: comparison } = useQuery({
    ...agreedComparisonQuery(customer, sku.trim(), price.trim()),
    enabled: sku.trim() !== "" && /^\d+(\.\d+)?$/.test(price.trim()),
  });
  const at = (place: string) =>
    save.error instanceof Problem ? save.error.details.find((d) => d.location === place)?.message : undefined;
  const add = () =>
    save.mutate({ sku: sku.trim(), price: price.trim() }, { onSuccess: () => (setSku(""), setPrice("")) });
  if (!data) return null;
  return (
    <section aria-label="Agreed prices" className="mt-5 text-[15px]">
      <h2 className="border-b pb-1">
        Agreed prices
        <ImportLink kind="agreed" />
      </h2>
      {data.prices.length > 0 && (
        <table className="w-full">
          <thead className="text-left text-[12px] text-quiet">
            <tr>
              <th className="font-normal">product</th>
              <th className="w-24 text-right font-normal">list price</th>
              <th className="w-28 text-right font-normal">the group pays</th>
              <th className="w-28 text-right font-normal">agreed</th>
              <th className="w-28 text-right font-normal">pays now</th>
              <th className="w-16" />
            </tr>
          </thead>
          <tbody>
            {data.prices.map((p) => (
              <tr key={p.sku} className="border-t" data-agreed={p.sku}>
                <td className="py-1">
                  {p.name} <span className="text-quiet">{p.sku}</span>
                </td>
                <td className="text-right text-quiet">{amount(p.list)}</td>
                <td className="text-right text-quiet">{amount(p.group)}</td>
                <td className="text-right font-medium">
                  {p.dearer && (
                    <Tip text="dearer than what the customer's group pays">
                      <span className="mr-2 text-[12px] text-bad">dearer</span>
                    </Tip>
                  )}
                  {amount(p.price)}
                </td>
                <td className={`text-right ${p.pays === p.price ? "text-quiet" : "font-medium"}`}>{amount(p.pays)}</td>
                <td className="text-right">
                  {may && (
                    <Button
                      look="bare"
                      aria-label={`End what was agreed for ${p.sku}`}
                      onClick={() => save.mutate({ sku: p.sku, price: "" })}
                    >
                      End
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {may && (
        <p className="mt-2 flex flex-wrap items-center gap-2">
          <ProductFinder
            label="SKU of an agreed price"
            placeholder="product or SKU"
            className="field w-48"
            invalid={at("sku") !== undefined || undefined}
            words={sku}
            onWords={setSku}
            onPick={setSku}
          />
          <DecimalInput
            aria-label="Agreed price"
            placeholder="price"
            className="field w-24 text-right"
            aria-invalid={at("price") !== undefined}
            value={price}
            onChange={setPrice}
            onKeyDown={(e) => {
              if (e.key === "Enter") {
                e.preventDefault();
                add();
              }
            }}
          />
          <Button disabled={save.isPending || !sku.trim() || !price.trim()} onClick={add}>
            Agree
          </Button>
          {comparison?.dearer && (
            <span role="status" className="font-medium text-bad" data-testid="dearer">
              Dearer than the {amount(comparison.group)} that the customer&apos;s group pays.
            </span>
          )}
          {save.error && <FieldError>{at("sku") ?? at("price") ?? errorText(save.error)}</FieldError>}
        </p>
      )}
      {data.prices.length > 0 && (
        <label className="mt-2 flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-ink"
            disabled={!may || fix.isPending}
            checked={data.fixed}
            onChange={(e) => fix.mutate(e.target.checked)}
          />
          fixed: nothing else changes these prices
          <FieldError>{fix.error ? errorText(fix.error) : undefined}</FieldError>
        </label>
      )}
      {data.fixed && data.unfixed.length > 0 && <Unfixed obstacles={data.unfixed} />}
      {data.rules.length > 0 && (
        <ul className="mt-3">
          <li className="text-[13px] text-quiet">Other rules that name this customer</li>
          {data.rules.map((r) => (
            <li key={r.code} className="flex items-center gap-2">
              <LayerMark layer={r.layer as Layer} />
              <Link
                className="underline decoration-1 underline-offset-2"
                to={`/stack/rule/${encodeURIComponent(r.code)}${carried(params)}`}
              >
                {r.name}
              </Link>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
