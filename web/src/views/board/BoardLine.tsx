import { marginWidth, nameWidth, spreadWidth, stripWidth, type Extra } from "./columns";
import type { BoardRow, Layer } from "../../api/client";
import { amount, count, isZero, signed } from "../../lib/format";
import { useNames } from "../../lib/names";
import { LayerMark } from "../../ui/layer-mark";
import { AmountCell } from "../../parts/products/AmountCell";
import { PriceStrip } from "./PriceStrip";

interface Props {
  row: BoardRow | undefined;
  top: number;
  height: number;
  layers: Layer[];
  selected: boolean;
  ticked: boolean;
  narrow: boolean;
  compact: boolean;
  /** The width that the price strip has, in pixels; null: there is none. */
  strip: number | null;
  extra: Extra[];
  spread: number;
  editing: "list" | "cost" | null;
  onEdit: ((field: "list" | "cost" | null) => void) | null;
  onSelect: () => void;
  onTick: (on: boolean) => void;
}

const flagWords: Record<string, string> = {
  "below-cost": "below cost",
  "no-price": "no price",
  "no-cost": "cost unknown",
  "thin-margin": "thin margin",
};

/** One product on the board. */
export function BoardLine(props: Props) {
  const { row, top, height, selected, ticked, onSelect, onTick } = props;
  const style = { transform: `translateY(${top}px)`, height };
  if (!row)
    return (
      <div style={style} className="absolute inset-x-0 top-0 flex items-center border-b px-3 text-quiet">
        …
      </div>
    );
  const below = row.flags.includes("below-cost");
  return (
    // The whole row is a larger target of the button in it.
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-static-element-interactions
    <div
      style={style}
      onClick={onSelect}
      data-sku={row.sku}
      className={`absolute inset-x-0 top-0 flex cursor-default items-center gap-3 border-b pr-5 pl-2 ${
        selected ? "bg-wash shadow-[inset_3px_0_0_var(--ink)]" : below ? "bg-badwash/60" : "hover:bg-wash/60"
      }`}
    >
      <input
        type="checkbox"
        className="accent-ink"
        tabIndex={selected ? 0 : -1}
        aria-label={`Choose ${row.name || row.sku}`}
        checked={ticked}
        onClick={(e) => e.stopPropagation()}
        onChange={(e) => onTick(e.target.checked)}
      />
      <button
        type="button"
        className={`${props.spread > 0 ? "min-w-0 flex-1" : nameWidth} text-left leading-tight ${props.compact ? "truncate" : ""}`}
        tabIndex={selected ? 0 : -1}
        onClick={onSelect}
        title={row.name}
      >
        <span className={props.compact ? "" : "block truncate"}>{row.name || row.sku}</span>
        <span className={`text-[12px] text-quiet ${props.compact ? "ml-2" : "block truncate"}`}>
          {row.sku}
          {row.unit === "day" ? " · by the day" : row.unit === "month" ? " · by the month" : ""}
        </span>
      </button>
      {props.spread > 0 ? <SpreadCells row={row} columns={props.spread} /> : <Cells {...props} row={row} />}
    </div>
  );
}

function Cells({ row, layers, narrow, compact, strip, extra, editing, onEdit }: Props & { row: BoardRow }) {
  const channelName = useNames().bind(null, "channels");
  const below = row.flags.includes("below-cost");
  return (
    <>
      <div className="w-[74px] text-right">
        {onEdit ? (
          <AmountCell
            sku={row.sku}
            name={row.name}
            field="list"
            kept={row.bookList}
            shown={row.list}
            editing={editing === "list"}
            onEdit={(on) => onEdit(on ? "list" : null)}
          />
        ) : (
          amount(row.list)
        )}
      </div>
      {strip !== null && (
        <div className={stripWidth}>{strip > 0 && <PriceStrip row={row} layers={layers} width={strip} />}</div>
      )}
      <div
        className="w-[74px] text-right leading-tight whitespace-nowrap"
        title={row.reducedFrom ? `shown as reduced from ${amount(row.reducedFrom)}` : undefined}
      >
        <span className="text-[15px] font-semibold" data-testid="price">
          {amount(row.price)}
        </span>
        {row.reducedFrom && !compact && (
          <span className="block text-[11px] text-quiet" data-testid="reduced-from">
            <s>{amount(row.reducedFrom)}</s>
          </span>
        )}
      </div>
      <div
        className="w-[66px] text-right"
        data-testid="change"
        title={row.against === null ? "nothing to compare with" : `against ${amount(row.against)}`}
      >
        {row.change === null ? (
          <span className="text-quiet">{row.against === null && row.price !== null ? "new" : "–"}</span>
        ) : isZero(row.change) ? (
          <span className="text-quiet">·</span>
        ) : (
          signed(row.change)
        )}
      </div>
      {!narrow && (
        <div className={`w-[64px] text-right ${below ? "font-semibold text-bad" : ""}`}>{amount(row.marginAmount)}</div>
      )}
      <div
        className={`${marginWidth(!!row.least)} text-right ${below ? "font-semibold text-bad" : ""}`}
        data-testid="margin"
      >
        {row.margin === null ? "–" : `${amount(row.margin)} %`}
        {row.least && (
          <span
            className={`block truncate text-[11px] leading-tight font-normal ${row.least.margin.startsWith("-") ? "text-bad" : "text-quiet"}`}
            title={`The thinnest margin is ${amount(row.least.margin)} %, in ${channelName(row.least.channel)}`}
          >
            {channelName(row.least.channel)} {amount(row.least.margin)} %
          </span>
        )}
      </div>
      {extra.map((key) => (
        <div key={key} className="w-[52px] text-right">
          {(key === "stock" ? row.stock : row.sold) ?? "–"}
        </div>
      ))}
      <div className="flex w-[58px] items-center gap-[3px]">
        {row.rules.slice(0, row.rules.length > 4 ? 2 : 4).map((r) => (
          <span key={r.code} title={r.name} className="inline-flex">
            <LayerMark layer={r.layer as Layer} title={r.name} size={12} />
          </span>
        ))}
        {row.rules.length > 4 && (
          <span
            className="text-[11px] text-quiet"
            title={row.rules
              .slice(2)
              .map((r) => r.name)
              .join(", ")}
          >
            +{count(row.rules.length - 2)}
          </span>
        )}
      </div>
      <div className="w-[78px] text-[12px]">
        {row.flags.map((f) => (
          <span
            key={f}
            className={
              f === "no-cost" || f === "thin-margin"
                ? "text-quiet"
                : "rounded-[3px] bg-bad px-1.5 py-px font-medium whitespace-nowrap text-paper"
            }
          >
            {flagWords[f] ?? f}
          </span>
        ))}
      </div>
    </>
  );
}

/** The prices of one product by the board's columns; those that differ from the first are stronger. */
function SpreadCells({ row, columns }: { row: BoardRow; columns: number }) {
  const first = row.spread?.[0] ?? null;
  return (
    <>
      {Array.from({ length: columns }, (_, i) => {
        const price = row.spread?.[i] ?? null;
        return (
          <div
            key={i}
            className={`${spreadWidth} text-right whitespace-nowrap ${i === 0 || price !== first ? "font-semibold" : "text-quiet"}`}
            data-testid={`spread-${i}`}
          >
            {amount(price)}
          </div>
        );
      })}
    </>
  );
}
