import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { saveWords, wordsImpactQuery } from "../../api/bulk";
import { filterQuery, useFacets } from "../../api/board";
import { useSave } from "../../api/saving";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import type { BoardFilter } from "../../lib/address";
import { Problem } from "../../api/client";
import { count, counted, errorText } from "../../lib/format";
import { SheetClose, SheetDialog } from "../../ui/sheet-dialog";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { FieldError } from "../../ui/states";

interface Props {
  viewpoint: Viewpoint;
  filter: BoardFilter;
  /** Only these; null: all that the filter leaves. */
  skus: string[] | null;
  total: number;
  onClose: () => void;
}

/** A tag, an attribute or another text of many products at once, seen before it is saved, and taken back as one. */
export function WordsDialog({ viewpoint, filter, skus, total, onClose }: Props) {
  const [what, setWhat] = useState("add tag");
  const [attr, setAttr] = useState("");
  const [value, setValue] = useState("");
  const { data: facets } = useFacets();
  const { data: state } = useProgramState();
  const [action = "add", field = "tag"] = what.split(" ");
  const body = {
    do: action as "add" | "remove" | "set",
    field: field === "attr" ? `attr:${attr.trim()}` : field,
    value,
    ...(skus && { skus }),
  };
  const query = filterQuery(viewpoint, filter);
  const preview = useQuery({
    ...wordsImpactQuery(query, body),
    enabled: (action === "set" || value.trim() !== "") && (field !== "attr" || attr.trim() !== ""),
  });
  const save = useSave((_: void, seen) => saveWords({ query, body }, seen));
  const problem = preview.error ?? save.error;
  const p = preview.data;
  const known: Record<string, string[] | undefined> = {
    tag: facets?.tags,
    brand: facets?.brands,
    supplier: facets?.suppliers,
    category: facets?.categories,
    type: facets?.types,
    taxClass: facets?.taxClasses,
  };
  return (
    <SheetDialog
      title={
        <>Change a word of {skus ? counted(skus.length, "chosen product") : `all ${counted(total, "shown product")}`}</>
      }
      width={680}
      onClose={onClose}
    >
      <p className="mt-3 text-[16px] leading-8">
        <select aria-label="What changes" className="blank" value={what} onChange={(e) => setWhat(e.target.value)}>
          <option value="add tag">Add the tag</option>
          <option value="remove tag">Take off the tag</option>
          <option value="set attr">Set the attribute</option>
          <option value="set category">Set the category to</option>
          <option value="set brand">Set the brand to</option>
          <option value="set supplier">Set the supplier to</option>
          <option value="set type">Set the type to</option>
          <option value="set taxClass">Set the tax class to</option>
        </select>{" "}
        {field === "attr" && (
          <>
            <input
              aria-label="Attribute"
              className="blank w-32"
              list="words-attrs"
              value={attr}
              onChange={(e) => setAttr(e.target.value)}
            />{" "}
            to{" "}
          </>
        )}
        <input
          aria-label="Word"
          className="blank w-56"
          list="words-values"
          placeholder={action === "set" ? "nothing" : ""}
          value={value}
          onChange={(e) => setValue(e.target.value)}
        />
        <datalist id="words-attrs">
          {facets?.attrs.map((a) => (
            <option key={a} value={a} />
          ))}
        </datalist>
        <datalist id="words-values">
          {(known[field] ?? []).slice(0, 300).map((v) => (
            <option key={v} value={v} />
          ))}
        </datalist>
      </p>
      {problem && (
        <FieldError>
          {problem instanceof Problem ? (problem.details[0]?.message ?? problem.message) : errorText(problem)}
        </FieldError>
      )}
      {p && !preview.error && (
        <div className="mt-2" data-testid="words-preview">
          <p>
            <b>{count(p.changed)}</b> of {count(p.reached)} products change
          </p>
          <ul className="mt-1 text-[14px] text-quiet">
            {p.sample.map((s) => (
              <li key={s.sku} className="truncate">
                {s.name}: {s.before || "none"} → <span className="text-ink">{s.after || "none"}</span>
              </li>
            ))}
          </ul>
          <div className="mt-2">
            <EffectNote effect={p.effect ?? undefined} busy={preview.isFetching} now={state?.now ?? ""} />
          </div>
        </div>
      )}
      <div className="mt-4 flex gap-2">
        <Button
          look="ink"
          disabled={!p || p.changed === 0 || preview.isPlaceholderData || save.isPending}
          onClick={() => save.mutate(undefined, { onSuccess: onClose })}
        >
          Change {counted(p?.changed ?? 0, "product")}
        </Button>
        <SheetClose asChild>
          <Button>Leave it</Button>
        </SheetClose>
      </div>
    </SheetDialog>
  );
}
