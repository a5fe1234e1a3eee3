import { useQuery } from "@tanstack/react-query";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useState } from "react";
import { layersImpactQuery, saveLayers } from "../../api/layers";
import { useSave } from "../../api/saving";
import { type Layer } from "../../api/client";
import { count, errorText } from "../../lib/format";
import { layerNames, modeWords } from "../../lib/layers";
import { SheetClose, SheetDialog } from "../../ui/sheet-dialog";
import { Button } from "../../ui/button";
import { BrokenChecks } from "../../ui/broken-checks";
import { LayerMark } from "../../ui/layer-mark";
import { FieldError } from "../../ui/states";

interface Setting {
  layer: string;
  mode: string;
  then?: "" | "end-price";
}

const presets: { name: string; why: string; order: string[] }[] = [
  {
    name: "Breaks before terms",
    why: "A quantity break is taken off the sale price, and a group's percent off what is left: large orders of a group get both.",
    order: ["catalog", "sale", "tier", "group", "promotion"],
  },
  {
    name: "Terms before breaks",
    why: "A group's own price comes first and breaks are taken off that: an agreed price that ends the price leaves no break.",
    order: ["catalog", "sale", "group", "tier", "promotion"],
  },
];

/** The order of the layers and how the rules of each share the work, with what that would move. */
export function ArrangeDialog({ layers, onClose }: { layers: Setting[]; onClose: () => void }) {
  const [list, setList] = useState<Setting[]>(
    layers.map((l) => ({ layer: l.layer, mode: l.mode, then: l.then ?? "" })),
  );
  const body = { layers: list };
  const preview = useQuery(layersImpactQuery(body));
  const save = useSave((_: void, seen) => saveLayers(body, seen));
  const swap = (i: number, k: number) =>
    setList((old) => {
      const next = [...old];
      const [a, b] = [next[i], next[k]];
      if (a && b) [next[i], next[k]] = [b, a];
      return next;
    });
  const at = (i: number, part: Partial<Setting>) =>
    setList((old) => old.map((l, k) => (k === i ? { ...l, ...part } : l)));
  const order = (names: string[]) => setList((old) => names.flatMap((n) => old.find((l) => l.layer === n) ?? []));
  const errors = preview.data?.errors ?? [];
  return (
    <SheetDialog title="Order and modes of the layers" width={720} onClose={onClose}>
      <div className="mt-2 grid grid-cols-2 gap-3">
        {presets.map((p) => (
          <button
            key={p.name}
            type="button"
            aria-pressed={list.map((l) => l.layer).join() === p.order.join()}
            className="rounded-[4px] border border-ink/30 px-3 py-2 text-left hover:bg-wash aria-pressed:border-2 aria-pressed:border-ink"
            onClick={() => order(p.order)}
          >
            <b>{p.name}</b>
            <span className="block text-quiet">{p.why}</span>
          </button>
        ))}
      </div>
      <ol className="mt-3">
        {list.map((l, i) => (
          <li key={l.layer} className="flex items-center gap-2 border-t py-1.5">
            <LayerMark layer={l.layer as Layer} size={14} />
            <span className="w-28 font-medium">{layerNames[l.layer as Layer]}</span>
            <select
              aria-label={`Mode of the ${layerNames[l.layer as Layer]} layer`}
              className="blank"
              value={l.mode}
              onChange={(e) => at(i, { mode: e.target.value })}
            >
              {Object.entries(modeWords).map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </select>
            <label className="ml-auto flex items-center gap-1 text-[13px]">
              <input
                type="checkbox"
                className="accent-ink"
                checked={l.then === "end-price"}
                onChange={(e) => at(i, { then: e.target.checked ? "end-price" : "" })}
              />
              ends the price
            </label>
            <Button
              look="bare"
              disabled={i < 2 || i === 4}
              aria-label={`Move ${layerNames[l.layer as Layer]} up`}
              onClick={() => swap(i, i - 1)}
            >
              <ArrowUp size={14} aria-hidden />
            </Button>
            <Button
              look="bare"
              disabled={i === 0 || i > 2}
              aria-label={`Move ${layerNames[l.layer as Layer]} down`}
              onClick={() => swap(i, i + 1)}
            >
              <ArrowDown size={14} aria-hidden />
            </Button>
          </li>
        ))}
      </ol>
      <div className="mt-2 border-t pt-2" data-testid="arrange-impact" aria-live="polite">
        {errors.length > 0 ? (
          <ul className="text-bad">
            {errors.slice(0, 6).map((e) => (
              <li key={e.path + e.problem}>
                {e.path}: {e.problem}
              </li>
            ))}
          </ul>
        ) : (
          <p>
            {preview.data?.prices
              .map((c) => `${c.name}: ${count(c.moved)} prices move${c.below ? `, ${count(c.below)} below cost` : ""}`)
              .join(" · ")}
          </p>
        )}
        <BrokenChecks checks={preview.data?.checks ?? []} />
        <FieldError>{save.error ? errorText(save.error) : undefined}</FieldError>
      </div>
      <div className="mt-3 flex gap-2">
        <Button
          look="ink"
          disabled={errors.length > 0 || save.isPending || preview.isPlaceholderData}
          onClick={() => save.mutate(undefined, { onSuccess: onClose })}
        >
          Save the order
        </Button>
        <SheetClose asChild>
          <Button>Leave it</Button>
        </SheetClose>
      </div>
    </SheetDialog>
  );
}
