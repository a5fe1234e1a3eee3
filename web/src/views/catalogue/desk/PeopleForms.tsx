import { useState } from "react";
import { useItems } from "../../../api/items";
import { Add, Blank, Out } from "../../../ui/blanks";
import { PickMany } from "../../../ui/pick-many";
import { FieldError } from "../../../ui/states";
import { AgreedPrices } from "./AgreedPrices";
import { readKnown, writeKnown } from "./forms";
import type { FormProps } from "./ItemDesk";

/** A customer: groups, what else is known, and the agreed prices. */
export function CustomerForm({ doc, set, errorAt, saved }: FormProps<"customers">) {
  const { data: groups } = useItems("groups");
  const [rows, setRows] = useState(() => readKnown(doc));
  const write = (next: [string, string][]) => {
    setRows(next);
    set(writeKnown(next));
  };
  const at = (i: number, row: [string, string]) => write(rows.map((r, k) => (k === i ? row : r)));
  return (
    <>
      <p>
        belongs to{" "}
        <PickMany
          label="Group"
          options={(groups ?? []).map((g) => g.code)}
          chosen={doc.groups ?? []}
          empty="no group"
          show={(c) => groups?.find((g) => g.code === c)?.name || c}
          onChange={(list) => set({ groups: list.length > 0 ? list : undefined })}
        />{" "}
        <FieldError>{errorAt("groups")}</FieldError>
      </p>
      {rows.map(([k, v], i) => (
        <p key={i}>
          whose{" "}
          <Blank
            label={`Attribute ${i + 1}`}
            className="w-28"
            placeholder="region"
            value={k}
            onChange={(x) => at(i, [x, v])}
          />{" "}
          is{" "}
          <Blank
            label={`Value of attribute ${i + 1}`}
            className="w-40"
            placeholder="north"
            value={v}
            onChange={(x) => at(i, [k, x])}
          />
          <Out label={`Take attribute ${i + 1} out`} onClick={() => write(rows.filter((_, n) => n !== i))} />
        </p>
      ))}
      <p className="mt-1">
        <Add onClick={() => setRows([...rows, ["", ""]])}>something known of the customer</Add>
      </p>
      <FieldError>{errorAt("attrs")}</FieldError>
      {saved && <AgreedPrices customer={doc.code} />}
    </>
  );
}

/** A group of customers, with who is in it. */
export function GroupForm({ doc }: FormProps<"groups">) {
  const { data: customers } = useItems("customers");
  const members = (customers ?? []).filter((c) => c.doc.groups?.includes(doc.code));
  return (
    <p className="text-quiet">
      {members.length === 0
        ? "No customer belongs to it yet. A customer’s page says which groups it belongs to."
        : `${members.length === 1 ? "One customer belongs" : `${members.length} customers belong`} to it: ${members
            .slice(0, 12)
            .map((m) => m.name || m.code)
            .join(", ")}${members.length > 12 ? " …" : ""}`}
    </p>
  );
}
