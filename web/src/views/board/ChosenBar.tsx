import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { checksQuery, dropCheck, pinCheck, priceAsked } from "../../api/checks";
import { priceQuery } from "../../api/prices";
import { addProducts, useRules } from "../../api/rules";
import { useSave } from "../../api/saving";
import { newRuleHere } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { count } from "../../lib/format";
import { Button } from "../../ui/button";
import { useFailed, useNotices } from "../../ui/toasts";

interface Props {
  chosen: string[];
  onClear: () => void;
  onBulk: () => void;
  onWords: () => void;
}

const mostPinned = 50;

/** What can be done with the chosen products. */
export function ChosenBar({ chosen, onClear, onBulk, onWords }: Props) {
  const { data: rules } = useRules();
  const { params, viewpoint } = useViewpoint();
  const navigate = useNavigate();
  const fail = useFailed();
  const [code, setCode] = useState("");
  const add = useSave((_: void, seen) => addProducts({ code, skus: chosen }, seen));
  const { tell } = useNotices();
  const client = useQueryClient();
  const pin = useMutation({
    mutationFn: async () => {
      for (const sku of chosen) {
        const now = await client.query(priceQuery(viewpoint, sku));
        await pinCheck({
          name: now.product.name || sku,
          doc: { price: priceAsked(sku, now.at, viewpoint), is: { unit: now.answer.unit } },
        });
      }
      return (await client.query({ ...checksQuery, staleTime: 0 })).checks
        .map((c) => c.id)
        .sort((a, b) => b - a)
        .slice(0, chosen.length);
    },
    onSuccess: (ids) => {
      const again = () => client.invalidateQueries({ queryKey: ["book", "checks"] });
      tell({
        text: `Pinned ${count(ids.length)} prices as they are seen here`,
        undo: async () => {
          for (const id of ids) await dropCheck(id);
          await again();
        },
      });
      onClear();
      return again();
    },
    onError: fail,
  });
  const make = () => {
    sessionStorage.setItem("dogbane-chosen", JSON.stringify(chosen));
    void navigate(newRuleHere(params, { chosen: "1" }));
  };
  return (
    <div
      role="toolbar"
      aria-label="Chosen products"
      className="flex shrink-0 items-center gap-3 bg-ink px-3 py-1 text-paper"
    >
      <b data-testid="chosen-count">{count(chosen.length)} chosen</b>
      <Button className="border-paper/60 text-paper enabled:hover:bg-paper/15" onClick={make}>
        Make a rule for them
      </Button>
      <span className="flex items-center gap-1.5">
        <select
          aria-label="Rule to add them to"
          className="max-w-56 rounded-[3px] border border-paper/60 bg-ink px-1 py-0.5"
          value={code}
          onChange={(e) => setCode(e.target.value)}
        >
          <option value="">add to a rule …</option>
          {rules?.map((r) => (
            <option key={r.rule.code} value={r.rule.code}>
              {r.rule.name ?? r.rule.code}
            </option>
          ))}
        </select>
        {code !== "" && (
          <Button
            className="border-paper/60 text-paper enabled:hover:bg-paper/15"
            disabled={add.isPending}
            onClick={() => add.mutate(undefined, { onSuccess: onClear, onError: fail })}
          >
            Add
          </Button>
        )}
      </span>
      <Button className="border-paper/60 text-paper enabled:hover:bg-paper/15" onClick={onBulk}>
        Change list prices or costs
      </Button>
      <Button className="border-paper/60 text-paper enabled:hover:bg-paper/15" onClick={onWords}>
        Tags and attributes
      </Button>
      <Button
        className="border-paper/60 text-paper enabled:hover:bg-paper/15"
        disabled={pin.isPending || chosen.length > mostPinned}
        onClick={() => pin.mutate()}
      >
        {chosen.length > mostPinned ? `Pin prices (at most ${mostPinned} at once)` : "Pin their prices"}
      </Button>
      <Button
        look="bare"
        className="ml-auto text-paper/85 enabled:hover:bg-paper/15 enabled:hover:text-paper"
        onClick={onClear}
      >
        Let go
      </Button>
    </div>
  );
}
