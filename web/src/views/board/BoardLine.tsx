import type { BoardRow, Layer } from "../../api/client";
import { amount, isZero, signed } from "../../lib/format";
import { LayerMark } from "../../ui/layer-mark";
import { AmountCell } from "./AmountCell";
import { PriceStrip } from "./PriceStrip";

interface Props {
  row: BoardRow | undefined;
  top: number;
  height: number;
  layers: Layer[];
  selected: boolean;
  editing: "list" | "cost" | null;
  onEdit: (field: "list" | "cost" | null) => void;
  onSelect: () => void;
}

const flagWords: Record<string, string> = {
  "below-cost": "below cost",
  "no-price": "no price",
  "no-cost": "cost unknown",
};

/** One product on the board. */
export function BoardLine({ row, top, height, layers, selected, editing, onEdit, onSelect }: Props) {
  const style = { transform: `translateY(${top}px)`, height };
  if (!row)
    return (
      <div style={style} className="absolute inset-x-0 top-0 flex items-center border-b px-3 text-quiet">
        …
      </div>
    );
  const below = row.flags.includes("below-cost");
  return (
    <div
      style={style}
      onClick={onSelect}
      data-sku={row.sku}
      className={`absolute inset-x-0 top-0 flex cursor-default items-center gap-3 border-b pr-5 pl-3 ${
        selected ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]" : below ? "bg-badwash/60" : "hover:bg-wash/60"
      }`}
    >
      <button type="button" className="min-w-0 flex-1 text-left leading-tight" onClick={onSelect} title={row.name}>
        <span className="block truncate">{row.name || row.sku}</span>
        <span className="block truncate text-[12px] text-quiet">
          {row.sku}
          {row.unit === "day" ? " · by the day" : row.unit === "month" ? " · by the month" : ""}
        </span>
      </button>
      <div className="w-[74px] text-right">
        <AmountCell
          sku={row.sku}
          name={row.name}
          field="list"
          kept={row.bookList}
          shown={row.list}
          editing={editing === "list"}
          onEdit={(on) => onEdit(on ? "list" : null)}
        />
      </div>
      <div className="w-[170px] pl-3">
        <PriceStrip row={row} layers={layers} />
      </div>
      <div className="w-[74px] whitespace-nowrap text-right text-[15px] font-semibold" data-testid="price">
        {amount(row.price)}
      </div>
      <div
        className="w-[66px] text-right"
        title={row.shown === null ? "not shown in this channel" : `shows ${amount(row.shown)}`}
      >
        {row.change === null ? (
          <span className="text-quiet">{row.shown === null && row.price !== null ? "new" : "–"}</span>
        ) : isZero(row.change) ? (
          <span className="text-quiet">·</span>
        ) : (
          signed(row.change)
        )}
      </div>
      <div className={`w-[64px] text-right ${below ? "font-semibold text-bad" : ""}`}>{amount(row.left)}</div>
      <div className={`w-[58px] text-right ${below ? "font-semibold text-bad" : ""}`}>
        {row.margin === null ? "–" : `${amount(row.margin)} %`}
      </div>
      <div className="flex w-[44px] items-center gap-1">
        {row.rules.map((r) => (
          <span key={r.code} title={r.name} className="inline-flex">
            <LayerMark layer={r.layer as Layer} title={r.name} size={12} />
          </span>
        ))}
      </div>
      <div className="w-[78px] text-[12px]">
        {row.flags.map((f) => (
          <span
            key={f}
            className={
              f === "no-cost"
                ? "text-quiet"
                : "rounded-[3px] bg-bad px-1.5 py-px font-medium whitespace-nowrap text-paper"
            }
          >
            {flagWords[f] ?? f}
          </span>
        ))}
      </div>
    </div>
  );
}
