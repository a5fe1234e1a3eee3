import { useMemo } from "react";
import { goodsWords } from "../../lib/sentence";
import { useNames } from "../../lib/names";
import { Pop } from "../../ui/pop";
import { SelectionBuilder } from "./SelectionBuilder";
import { writeSelection, type Selection } from "./selection";

interface Props {
  label: string;
  goods: Selection;
  bad?: boolean | undefined;
  onChange: (goods: Selection) => void;
}

/** Goods as words of a sentence; a click opens what chooses them. */
export function GoodsBlank({ label, goods, bad, onChange }: Props) {
  const names = useNames();
  const words = useMemo(() => {
    const where = writeSelection(goods);
    if (!where || goods.root.parts.every((p) => p.kind === "values" && p.values.length === 0))
      return goods.everything ? "every product" : "";
    return goodsWords(where, names);
  }, [goods, names]);
  return (
    <Pop
      label={label}
      width={620}
      trigger={
        <button
          type="button"
          aria-label={`${label}: ${words || "which goods"}`}
          data-invalid={bad === true || undefined}
          className={`blank max-w-full text-left ${words ? "" : "font-normal text-quiet"}`}
        >
          {words || "which goods"}
        </button>
      }
    >
      <SelectionBuilder title={label} selection={goods} onChange={onChange} />
    </Pop>
  );
}
