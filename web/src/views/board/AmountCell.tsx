import { useEffect, useRef, useState } from "react";
import { api, take } from "../../api/client";
import { useSave } from "../../api/queries";
import { amount, errorText } from "../../lib/format";

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
export function AmountCell({ sku, name, field, kept, shown, editing, onEdit }: Props) {
  const [text, setText] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const done = useRef(false);
  const save = useSave((value: string) =>
    take(api.PATCH("/api/products/{sku}", { params: { path: { sku } }, body: { [field]: value, was: kept ?? "" } })),
  );
  const label = field === "list" ? "List price" : "Cost";
  const { reset } = save;
  useEffect(() => {
    if (!editing) return;
    done.current = false;
    setText(kept ?? "");
    reset();
    requestAnimationFrame(() => input.current?.select());
    // Only when editing begins: what is being typed is not overwritten by an answer that comes in between.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [editing]);
  if (!editing)
    return (
      <button
        type="button"
        tabIndex={-1}
        className="w-full text-right hover:underline hover:decoration-dotted hover:underline-offset-4"
        aria-label={`${label} of ${name}: ${kept ?? "none"}. Edit`}
        onClick={(e) => {
          e.stopPropagation();
          onEdit(true);
        }}
      >
        {amount(shown === undefined ? kept : shown)}
      </button>
    );
  const commit = () => {
    if (done.current) return;
    if (text.trim() === (kept ?? "")) {
      onEdit(false);
      return;
    }
    done.current = true;
    save.mutate(text.trim(), {
      onSuccess: () => onEdit(false),
      onError: () => {
        done.current = false;
        input.current?.focus();
      },
    });
  };
  const problem = save.error ? errorText(save.error) : "";
  return (
    <span className="relative block" onClick={(e) => e.stopPropagation()}>
      <input
        ref={input}
        autoFocus
        aria-label={`${label} of ${name}`}
        aria-invalid={problem !== ""}
        aria-describedby={problem ? `${field}-${sku}` : undefined}
        inputMode="decimal"
        className="field w-full text-right"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => (problem ? undefined : commit())}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") commit();
          if (e.key === "Escape") {
            done.current = true;
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
