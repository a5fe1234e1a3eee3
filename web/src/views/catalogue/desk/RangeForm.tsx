import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { impactQuery } from "../../../api/impact";
import type { Rule, Where } from "../../../api/client";
import { count } from "../../../lib/format";
import { FieldError } from "../../../ui/states";
import { SelectionBuilder } from "../../../parts/rule/SelectionBuilder";
import { readSelection, unfinished, writeSelection } from "../../../parts/rule/selection";
import type { FormProps } from "./ItemDesk";

/** Named goods that many rules share. */
export function RangeForm({ doc, set, errorAt }: FormProps<"ranges">) {
  const [selection, setSelection] = useState(() => readSelection(doc.where));
  const where = writeSelection(selection);
  const open = selection.everything ? "" : selection.root.parts.length > 0 ? unfinished(selection.root) : "";
  return (
    <>
      <SelectionBuilder
        title="Which goods"
        selection={selection}
        onChange={(s) => {
          setSelection(s);
          set({ where: writeSelection(s) });
        }}
      />
      <FieldError>{open || errorAt("where")}</FieldError>
      {where && open === "" && <Reach where={where} />}
    </>
  );
}

/** How many products a selection holds, and some of their names. */
export function Reach({ where }: { where: Where }) {
  const rule: Rule = { code: "reach", layer: "sale", rank: 1, status: "draft", where, effect: { percentOff: "0" } };
  const { data } = useQuery(impactQuery({}, rule, ""));
  if (!data || data.errors.length > 0) return null;
  return (
    <p className="mt-1 text-[14px] leading-snug text-quiet" data-testid="range-reach">
      <b className="text-ink">{count(data.reach)}</b> {data.reach === 1 ? "product" : "products"}
      {data.sample.length > 0 && `: ${data.sample.join("; ")}`}
      {data.reach > data.sample.length ? " …" : ""}
    </p>
  );
}
