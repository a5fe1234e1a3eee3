import { useFacets } from "../../api/board";
import { ProductFinder, useProductName } from "../products/ProductFinder";
import { useLevels } from "./levels";
import { Blank, Choice } from "../../ui/blanks";
import type { EffectForm, EffectKind } from "./form";

const kinds: [EffectKind, string][] = [
  ["percentOff", "% off"],
  ["percentOn", "% on top"],
  ["amountOff", "off each"],
  ["amountOn", "on top of each"],
  ["setPrice", "as the price"],
  ["level", "price level"],
  ["markup", "% on the cost (markup)"],
  ["margin", "% margin over the cost"],
  ["derive", "% of another price"],
];

interface Props {
  effect: EffectForm;
  bad: boolean | undefined;
  /** What distinguishes the labels where several effects stand on one page. */
  which?: string;
  onChange: (e: EffectForm) => void;
}

/** What the product is called that a price is derived from. */
function SourceName({ sku }: { sku: string }) {
  const name = useProductName(sku === "basket" ? "" : sku.trim());
  return name ? <span className="text-[14px] text-quiet">({name}) </span> : null;
}

/** How much, and of what kind. */
export function EffectControl({ effect, bad, which = "", onChange }: Props) {
  const { data: facets } = useFacets();
  const levels = useLevels(effect.kind === "level" ? effect.value : "");
  const change = (part: Partial<EffectForm>) => onChange({ ...effect, ...part });
  const kind = (
    <Choice
      label={`Effect${which}`}
      value={effect.kind}
      options={kinds}
      onChange={(k) => change({ kind: k, ...(k === "level" && { value: facets?.levels[0] ?? "" }) })}
    />
  );
  if (effect.kind === "level")
    return (
      <>
        {kind}{" "}
        <Choice
          label={`Price level${which}`}
          bad={bad}
          value={effect.value}
          options={levels}
          onChange={(value) => change({ value })}
        />
      </>
    );
  return (
    <>
      <Blank
        label={`How much${which}`}
        inputMode="decimal"
        placeholder="…"
        bad={bad}
        value={effect.value}
        onChange={(value) => change({ value })}
      />{" "}
      {kind}
      {effect.kind === "derive" && (
        <>
          : the{" "}
          <Choice
            label={`Basis of the derived price${which}`}
            value={effect.basis}
            options={[
              ["net", "effective price"],
              ["list", "list price"],
              ["subtotal", "sum"],
            ]}
            onChange={(basis) => change({ basis })}
          />{" "}
          of{" "}
          <ProductFinder
            label={`Source of the derived price${which}`}
            className="blank w-44"
            placeholder="product or basket"
            words={effect.from}
            more={[["basket", "the whole basket"]]}
            onWords={(from) => change({ from })}
            onPick={(from) => change({ from })}
          />{" "}
          <SourceName sku={effect.from} />
          <Choice
            label={`Which goods count${which}`}
            value={effect.counts}
            options={[
              ["basket", "in the basket"],
              ["owned", "owned"],
              ["both", "in the basket or owned"],
            ]}
            onChange={(counts) => change({ counts })}
          />
          , at least{" "}
          <Blank
            label={`Least derived price${which}`}
            placeholder="–"
            value={effect.min}
            onChange={(min) => change({ min })}
          />{" "}
          and at most{" "}
          <Blank
            label={`Greatest derived price${which}`}
            placeholder="–"
            value={effect.max}
            onChange={(max) => change({ max })}
          />
        </>
      )}
    </>
  );
}
