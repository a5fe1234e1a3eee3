import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { columnsOf, drawn, roomy, spreadWidth, stripWidth, wide, type Column } from "./columns";
import { useWidth } from "../../lib/charts";
import { useCompact } from "../../lib/rows";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { narrowing, readFilter } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { useBoardPages } from "../../parts/products/useBoardPages";
import { moment } from "../../lib/format";
import { useKeys } from "../../lib/keys";
import { Empty, Failed } from "../../ui/states";
import { BoardLine } from "./BoardLine";
import { BoardTools } from "./BoardTools";
import { BulkDialog } from "./BulkDialog";
import { CategoryRail } from "./CategoryRail";
import { ChosenBar } from "./ChosenBar";
import { Histograms } from "./Histograms";
import { PasteDialog } from "./PasteDialog";
import { PrintDialog } from "./PrintDialog";
import { WordsDialog } from "../../parts/products/WordsDialog";
import { Tip } from "../../ui/tip";

/** Every product's price from the viewpoint, one row each. */
export function Board() {
  const { viewpoint, params, set, ready } = useViewpoint();
  const { data: state } = useProgramState();
  const may = useMay("manager");
  const filter = readFilter(params);
  const section = useRef<HTMLElement>(null);
  const strip = useRef<HTMLDivElement>(null);
  const width = useWidth(section);
  const stripRoom = useWidth(strip);
  const [compact] = useCompact();
  const rowHeight = compact ? 26 : 40;
  const narrow = width > 0 && width < roomy;
  const striped = width === 0 || width >= drawn;
  const extra = (["stock", "sold"] as const).filter((k) => filter.cols.split(",").includes(k) || width >= wide);
  const anyChannel = filter.margin !== "" && filter["margin-in"] === "any";
  const scroller = useRef<HTMLDivElement>(null);
  const search = useRef<HTMLInputElement>(null);
  const [range, setRange] = useState({ first: 0, last: 60 });
  const [editing, setEditing] = useState<{ sku: string; field: "list" | "cost" } | null>(null);
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const [dialog, setDialog] = useState<"bulk" | "chosen" | "words" | "chosen-words" | "paste" | "labels" | "list" | "">(
    "",
  );
  const board = useBoardPages(viewpoint, filter, range.first, range.last, ready);
  const rows = useVirtualizer({
    count: board.total,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
    onChange: (v) => {
      const items = v.getVirtualItems();
      const first = items[0]?.index ?? 0;
      const last = items.at(-1)?.index ?? 60;
      setRange((old) => (old.first === first && old.last === last ? old : { first, last }));
    },
  });
  const selected = params.get("sku") ?? "";
  const [cursor, setCursor] = useState(-1);
  const items = rows.getVirtualItems();
  const go = (direction: 1 | -1) => {
    const from =
      board.row(cursor)?.sku === selected ? cursor : items.findIndex((i) => board.row(i.index)?.sku === selected);
    const next = Math.min(Math.max((from < 0 ? -1 : from) + direction, 0), board.total - 1);
    const row = board.row(next);
    if (!row) return;
    setCursor(next);
    rows.scrollToIndex(next);
    set({ sku: row.sku });
  };
  const tick = (sku: string, on: boolean) =>
    setChosen((old) => {
      const next = new Set(old);
      if (on) next.add(sku);
      else next.delete(sku);
      return next;
    });
  useKeys({
    "/": () => search.current?.focus(),
    arrowdown: () => go(1),
    arrowup: () => go(-1),
    enter: () => selected && set({ trail: "open" }),
    x: () => selected && tick(selected, !chosen.has(selected)),
    e: () => may && selected && setEditing({ sku: selected, field: "list" }),
    escape: () => set({ trail: null }),
  });
  useEffect(() => {
    rows.measure();
  }, [rows, rowHeight]);
  // The focus goes along with the selection, from a control of one row to the same of the other.
  useEffect(() => {
    const now = document.activeElement;
    const from = now?.closest("[data-sku]");
    if (!now || !from || !scroller.current?.contains(from) || from.getAttribute("data-sku") === selected) return;
    const controls = (row: Element) => [...row.querySelectorAll<HTMLElement>("input, button")];
    const to = scroller.current.querySelector(`[data-sku="${CSS.escape(selected)}"]`);
    if (to) controls(to)[controls(from).indexOf(now as HTMLElement)]?.focus();
  }, [selected]);
  const key = JSON.stringify(filter);
  useEffect(() => {
    scroller.current?.scrollTo({ top: 0 });
  }, [key]);
  const spread = board.columns;
  const sortBy = (c: Column) =>
    c.key !== "" &&
    (filter.sort !== c.key
      ? set({ sort: c.key, desc: null })
      : filter.desc
        ? set({ sort: null, desc: null })
        : set({ desc: "true" }));
  return (
    <div className="flex h-full">
      <CategoryRail />
      <section ref={section} aria-label="Board" className="flex min-w-0 flex-1 flex-col">
        <BoardTools
          viewpoint={viewpoint}
          filter={filter}
          extra={extra}
          bars={params.get("bars") === "open"}
          total={board.total}
          search={search}
          set={set}
          onBulk={() => setDialog("bulk")}
          onWords={() => setDialog("words")}
          onPaste={() => setDialog("paste")}
          onPrint={setDialog}
        />
        {params.get("bars") === "open" && ready && (
          <Histograms
            viewpoint={viewpoint}
            filter={filter}
            onPick={(which, span) => set({ [which]: span, "margin-in": null })}
          />
        )}
        {chosen.size > 0 && may && (
          <ChosenBar
            chosen={[...chosen]}
            onClear={() => setChosen(new Set())}
            onBulk={() => setDialog("chosen")}
            onWords={() => setDialog("chosen-words")}
          />
        )}
        <div className="flex shrink-0 items-center gap-3 border-b border-ink/50 py-1 pr-[34px] pl-[33px] text-[12px] whitespace-nowrap text-quiet">
          {(spread.length > 0
            ? [{ ...columnsOf(narrow, extra, anyChannel, striped)[0], className: "min-w-0 flex-1" } as Column]
            : columnsOf(narrow, extra, anyChannel, striped)
          ).map((c, i) => (
            <Tip key={i} text={c.hint}>
              <div ref={c.className === stripWidth ? strip : undefined} className={`flex ${c.className}`}>
                {c.key ? (
                  <button
                    type="button"
                    className={`flex items-center gap-0.5 hover:text-ink ${filter.sort === c.key ? "font-semibold text-ink" : ""}`}
                    aria-label={`Sort by ${c.said ?? c.name}`}
                    aria-pressed={filter.sort === c.key}
                    onClick={() => sortBy(c)}
                  >
                    {c.name}
                    {filter.sort === c.key &&
                      (filter.desc ? <ArrowDown size={12} aria-hidden /> : <ArrowUp size={12} aria-hidden />)}
                  </button>
                ) : (
                  c.name || <Scale narrow={stripRoom < 150} />
                )}
              </div>
            </Tip>
          ))}
          {spread.map((c) => (
            <div key={c.key} className={`${spreadWidth} truncate text-right`} title={c.name}>
              {filter.spread === "changes" ? moment(c.name, state?.now).slice(4) : c.name}
            </div>
          ))}
        </div>
        <div
          ref={scroller}
          className="min-h-0 flex-1 overflow-y-scroll bg-sheet"
          data-testid="board-rows"
          role="region"
          tabIndex={0}
          aria-label="Rows of the board"
        >
          {board.error && !board.row(0) ? (
            <Failed error={board.error} retry={board.refetch} />
          ) : board.total === 0 && !board.loading ? (
            state?.products === 0 ? (
              <Empty title="There are no products yet">Import a file in the Catalogue to begin.</Empty>
            ) : (
              <Empty title="No product fits">
                <button
                  type="button"
                  className="underline underline-offset-2"
                  onClick={() => set(Object.fromEntries(narrowing.map((key) => [key, null])))}
                >
                  Show all products
                </button>
              </Empty>
            )
          ) : (
            <div style={{ height: rows.getTotalSize(), position: "relative" }}>
              {items.map((item) => {
                const row = board.row(item.index);
                return (
                  <BoardLine
                    key={row?.sku ?? item.index}
                    row={row}
                    top={item.start}
                    height={rowHeight}
                    layers={(state?.layers ?? []).map((l) => l.layer)}
                    selected={row !== undefined && row.sku === selected}
                    ticked={row !== undefined && chosen.has(row.sku)}
                    narrow={narrow}
                    compact={compact}
                    strip={striped ? stripRoom : null}
                    extra={extra}
                    spread={spread.length}
                    editing={row !== undefined && editing?.sku === row.sku ? editing.field : null}
                    onEdit={may ? (field) => setEditing(field && row ? { sku: row.sku, field } : null) : null}
                    onTick={(on) => row && tick(row.sku, on)}
                    onSelect={() => {
                      if (!row) return;
                      setCursor(item.index);
                      set({ sku: row.sku, trail: "open" });
                    }}
                  />
                );
              })}
            </div>
          )}
        </div>
      </section>
      {(dialog === "bulk" || dialog === "chosen") && (
        <BulkDialog
          viewpoint={viewpoint}
          filter={filter}
          skus={dialog === "chosen" ? [...chosen] : null}
          total={board.total}
          onClose={() => setDialog("")}
        />
      )}
      {(dialog === "words" || dialog === "chosen-words") && (
        <WordsDialog
          viewpoint={viewpoint}
          filter={filter}
          skus={dialog === "chosen-words" ? [...chosen] : null}
          total={board.total}
          onClose={() => setDialog("")}
        />
      )}
      {(dialog === "labels" || dialog === "list") && (
        <PrintDialog
          what={dialog}
          viewpoint={viewpoint}
          filter={filter}
          total={board.total}
          onClose={() => setDialog("")}
        />
      )}
      {dialog === "paste" && <PasteDialog onClose={() => setDialog("")} />}
    </div>
  );
}

/** What the marks of the price strip mean. */
function Scale({ narrow }: { narrow: boolean }) {
  return (
    <span className="flex items-center gap-2 whitespace-nowrap">
      <span className="flex items-center gap-1">
        <span className="inline-block h-3 w-[2px] bg-ink" /> cost
      </span>
      {!narrow && (
        <span className="flex items-center gap-1">
          <span className="inline-block h-1.5 w-4 bg-ink/70" /> price
        </span>
      )}
      <span className="flex items-center gap-1">
        <span className="inline-block h-2 w-3 bg-sale" /> taken
      </span>
    </span>
  );
}
