import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { editProduct } from "../../api/products";
import { useSave } from "../../api/saving";
import { amount, errorText } from "../../lib/format";
import { DecimalInput } from "../../ui/decimal-input";

interface Props {
  sku: string;
  name: string;
  field: "list" | "cost";
  /** The amount as it is kept. */
  kept: string | null;
  /** What the cell shows while it is not edited, when that is another footing or currency. */
  shown?: string | null;
  editing: boolean;
  onEdit: (on: boolean) => void;
}

/** A list price or a cost that is edited in place. Enter saves, Escape leaves it; an error stays beside the field. */
export function AmountCell(props: Props) {
  const { name, field, kept, shown, editing, onEdit } = props;
  if (editing) return <AmountField {...props} />;
  return (
    <button
      type="button"
      tabIndex={-1}
      className="w-full text-right hover:underline hover:decoration-dotted hover:underline-offset-4"
      aria-label={`${labels[field]} of ${name}: ${kept ?? "none"}. Edit`}
      onClick={(e) => {
        e.stopPropagation();
        onEdit(true);
      }}
    >
      {amount(shown === undefined ? kept : shown)}
    </button>
  );
}

const labels = { list: "List price", cost: "Cost" };

function AmountField({ sku, name, field, kept, onEdit }: Props) {
  const [text, setText] = useState(kept ?? "");
  // What is saved must rest on what was there when editing began, not on an answer that came in since.
  const [was] = useState(kept ?? "");
  const leaving = useRef(false);
  // What is seen is changed: from a later moment on a product may cost something else.
  const at = useSearchParams()[0].get("at");
  const save = useSave((value: string, seen) =>
    editProduct({ sku, edit: { [field]: value, was, ...(at && { at }) } }, seen),
  );
  const problem = save.error ? errorText(save.error) : "";
  const commit = () => {
    if (leaving.current || save.isPending) return;
    if (text.trim() === was) onEdit(false);
    else save.mutate(text.trim(), { onSuccess: () => onEdit(false) });
  };
  return (
    // A click into the field chooses no row.
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-static-element-interactions
    <span className="relative block" onClick={(e) => e.stopPropagation()}>
      <DecimalInput
        autoFocus
        aria-label={`${labels[field]} of ${name}`}
        aria-invalid={problem !== ""}
        aria-describedby={problem ? `${field}-${sku}` : undefined}
        className="field w-full text-right"
        value={text}
        onFocus={(e) => e.target.select()}
        onChange={setText}
        onBlur={() => (problem ? undefined : commit())}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") commit();
          if (e.key === "Escape") {
            leaving.current = true;
            onEdit(false);
          }
        }}
      />
      {problem && (
        <span
          id={`${field}-${sku}`}
          role="alert"
          className="absolute top-full right-0 z-20 mt-0.5 rounded-[3px] bg-bad px-2 py-1 text-left whitespace-nowrap text-paper"
        >
          {problem}
        </span>
      )}
    </span>
  );
}
