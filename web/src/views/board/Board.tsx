import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, Search } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useProgramState } from "../../api/queries";
import { count } from "../../lib/format";
import { useKeys } from "../../lib/keys";
import { useViewpoint } from "../../lib/viewpoint";
import { Empty, Failed } from "../../ui/states";
import { BoardLine } from "./BoardLine";
import { CategoryRail } from "./CategoryRail";
import { useBoardPages, type BoardFilter } from "./useBoardPages";

const rowHeight = 40;
const columns: { key: BoardFilter["sort"] | ""; name: string; className: string; hint?: string }[] = [
  { key: "name", name: "Product", className: "min-w-0 flex-1" },
  { key: "list", name: "List", className: "w-[74px] justify-end" },
  { key: "", name: "", className: "w-[170px]" },
  { key: "price", name: "Price", className: "w-[74px] justify-end" },
  { key: "change", name: "Change", className: "w-[66px] justify-end", hint: "against what the channel shows" },
  {
    key: "left",
    name: "Left",
    className: "w-[64px] justify-end",
    hint: "what is left of a sale: price without tax, less fee and cost",
  },
  { key: "margin", name: "Margin", className: "w-[58px] justify-end" },
  { key: "", name: "Rules", className: "w-[44px]" },
  { key: "", name: "Flags", className: "w-[78px]" },
];

const shows: [BoardFilter["show"], string][] = [
  ["all", "all products"],
  ["reduced", "reduced"],
  ["changed", "not yet published"],
  ["below-cost", "below cost"],
  ["no-price", "without a price"],
];

/** Every product's price from the viewpoint, one row each. */
export function Board() {
  const { viewpoint, params, set, ready } = useViewpoint();
  const { data: state } = useProgramState();
  const filter: BoardFilter = {
    q: params.get("q") ?? "",
    category: params.get("category") ?? "",
    show: (params.get("show") as BoardFilter["show"] | null) ?? "all",
    rule: params.get("rule") ?? "",
    sort: (params.get("sort") as BoardFilter["sort"] | null) ?? "category",
    desc: params.get("desc") === "true",
  };
  const scroller = useRef<HTMLDivElement>(null);
  const search = useRef<HTMLInputElement>(null);
  const [range, setRange] = useState({ first: 0, last: 60 });
  const [editing, setEditing] = useState<{ sku: string; field: "list" | "cost" } | null>(null);
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
  const go = (way: 1 | -1) => {
    const from =
      board.row(cursor)?.sku === selected ? cursor : items.findIndex((i) => board.row(i.index)?.sku === selected);
    const next = Math.min(Math.max((from < 0 ? -1 : from) + way, 0), board.total - 1);
    const row = board.row(next);
    if (!row) return;
    setCursor(next);
    rows.scrollToIndex(next);
    set({ sku: row.sku });
  };
  useKeys({
    "/": () => search.current?.focus(),
    arrowdown: () => go(1),
    arrowup: () => go(-1),
    enter: () => selected && set({ trail: "open" }),
    e: () => selected && setEditing({ sku: selected, field: "list" }),
    escape: () => set({ trail: null }),
  });
  const key = JSON.stringify(filter);
  useEffect(() => {
    scroller.current?.scrollTo({ top: 0 });
  }, [key]);
  return (
    <div className="flex h-full">
      <CategoryRail />
      <section aria-label="Board" className="flex min-w-0 flex-1 flex-col">
        <div className="flex shrink-0 items-center gap-3 border-b px-3 py-1.5">
          <label className="field flex w-64 items-center gap-1.5">
            <Search size={14} className="shrink-0 text-quiet" aria-hidden />
            <input
              ref={search}
              type="search"
              aria-label="Search the board"
              placeholder="Name, SKU, brand …  /"
              className="w-full bg-transparent outline-none"
              value={filter.q}
              onChange={(e) => set({ q: e.target.value })}
              onKeyDown={(e) => e.key === "Escape" && e.currentTarget.blur()}
            />
          </label>
          <label>
            Show{" "}
            <select
              aria-label="Show"
              className="blank"
              value={filter.show}
              onChange={(e) => set({ show: e.target.value === "all" ? null : e.target.value })}
            >
              {shows.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </label>
          {filter.category && (
            <button
              type="button"
              className="truncate rounded-full border border-ink/40 px-2 hover:bg-wash"
              onClick={() => set({ category: null })}
              aria-label={`Only ${filter.category}. Remove`}
            >
              {filter.category.split("/").join(" › ")} ×
            </button>
          )}
          {filter.rule && (
            <button
              type="button"
              className="rounded-full border border-ink/40 px-2 hover:bg-wash"
              onClick={() => set({ rule: null })}
              aria-label={`Only where ${filter.rule} applies. Remove`}
            >
              {filter.rule} ×
            </button>
          )}
          <span className="ml-auto whitespace-nowrap text-quiet" aria-live="polite" data-testid="board-total">
            {count(board.total)} of {count(state?.products ?? 0)} products
          </span>
        </div>
        <div
          className="flex shrink-0 items-center gap-3 whitespace-nowrap border-b border-ink/50 py-1 pr-[34px] pl-3 text-[12px] text-quiet"
          role="row"
        >
          {columns.map((c, i) => (
            <div key={i} className={`flex ${c.className}`} title={c.hint}>
              {c.key ? (
                <button
                  type="button"
                  className={`flex items-center gap-0.5 hover:text-ink ${filter.sort === c.key ? "font-semibold text-ink" : ""}`}
                  aria-label={`Sort by ${c.name}`}
                  aria-pressed={filter.sort === c.key}
                  onClick={() =>
                    filter.sort !== c.key
                      ? set({ sort: c.key, desc: null })
                      : filter.desc
                        ? set({ sort: null, desc: null })
                        : set({ desc: "true" })
                  }
                >
                  {c.name}
                  {filter.sort === c.key &&
                    (filter.desc ? <ArrowDown size={12} aria-hidden /> : <ArrowUp size={12} aria-hidden />)}
                </button>
              ) : (
                c.name || <Scale />
              )}
            </div>
          ))}
        </div>
        <div
          ref={scroller}
          className="min-h-0 flex-1 overflow-y-scroll bg-sheet"
          data-testid="board-rows"
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
                  onClick={() => set({ q: null, category: null, show: null, rule: null })}
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
                    layers={(state?.layers ?? []).map((l) => l.layer as never)}
                    selected={row !== undefined && row.sku === selected}
                    editing={row !== undefined && editing?.sku === row.sku ? editing.field : null}
                    onEdit={(field) => setEditing(field && row ? { sku: row.sku, field } : null)}
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
    </div>
  );
}

/** What the marks of the price strip mean. */
function Scale() {
  return (
    <span className="flex items-center gap-2">
      <span className="flex items-center gap-1">
        <span className="inline-block h-3 w-[2px] bg-ink" /> cost
      </span>
      <span className="flex items-center gap-1">
        <span className="inline-block h-1.5 w-4 bg-ink/70" /> price
      </span>
      <span className="flex items-center gap-1">
        <span className="inline-block h-2 w-3 bg-sale" /> taken
      </span>
      <span className="flex items-center gap-1">
        <span className="inline-block h-3 w-px bg-ink" /> list
      </span>
    </span>
  );
}
