import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { carried, noFilter } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { useBoardPages } from "../../parts/products/useBoardPages";
import { amount, count } from "../../lib/format";
import { Button } from "../../ui/button";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";
import { AmountCell } from "../../parts/products/AmountCell";
import { WordsDialog } from "../../parts/products/WordsDialog";
import { productPage } from "../../lib/sku";

/** Every product with its list price and cost as they are kept, both edited in place. */
export function Products() {
  const { data: state } = useProgramState();
  const { viewpoint, ready, set, params } = useViewpoint();
  const [words, setWords] = useState("");
  const [range, setRange] = useState({ first: 0, last: 60 });
  const [editing, setEditing] = useState<{ sku: string; field: "list" | "cost" } | null>(null);
  const [dialog, setDialog] = useState(false);
  const may = useMay("manager");
  const kept = { ...viewpoint, channel: "", at: "", quantity: 1, who: "", with: [] };
  const scroller = useRef<HTMLDivElement>(null);
  useOneTabStop(scroller, "[data-sku]");
  const board = useBoardPages(kept, { ...noFilter, q: words }, range.first, range.last, ready);
  const list = useVirtualizer({
    count: board.total,
    getScrollElement: () => scroller.current,
    estimateSize: () => 34,
    overscan: 15,
    onChange: (v) => {
      const items = v.getVirtualItems();
      const next = { first: items[0]?.index ?? 0, last: items.at(-1)?.index ?? 60 };
      setRange((old) => (old.first === next.first && old.last === next.last ? old : next));
    },
  });
  if (board.error && board.total === 0) return <Failed error={board.error} retry={board.refetch} />;
  const cell = (sku: string, name: string, field: "list" | "cost", kept: string | null) =>
    !may ? (
      amount(kept)
    ) : (
      <AmountCell
        sku={sku}
        name={name}
        field={field}
        kept={kept}
        editing={editing?.sku === sku && editing.field === field}
        onEdit={(on) => setEditing(on ? { sku, field } : null)}
      />
    );
  return (
    <div className="flex h-full flex-col">
      <div className="flex shrink-0 items-center gap-4 border-b px-5 py-1.5">
        <input
          type="search"
          aria-label="Find a product"
          placeholder="Find a product"
          className="field w-64"
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
        <span className="text-quiet">
          {count(board.total)} of {count(state?.products ?? 0)} · amounts in {state?.currency}; list prices with tax,
          costs without · click an amount to change it
        </span>
        {may && (
          <span className="ml-auto flex gap-2">
            <Button disabled={board.total === 0} onClick={() => setDialog(true)}>
              Tags and attributes
            </Button>
            <Link
              to={`/catalogue/product/new${carried(params)}`}
              className="inline-flex min-h-7 items-center rounded-[3px] border border-ink/40 px-2.5 font-medium hover:bg-wash"
            >
              New product
            </Link>
          </span>
        )}
      </div>
      <div className="flex shrink-0 gap-4 border-b border-ink/50 py-1 pr-[38px] pl-5 text-[12px] text-quiet">
        <span className="w-36">SKU</span>
        <span className="min-w-0 flex-1">Name</span>
        <span className="w-56">Category</span>
        <span className="w-28 text-right">List price</span>
        <span className="w-28 text-right">Cost</span>
      </div>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-y-scroll bg-sheet"
        role="region"
        tabIndex={0}
        aria-label="Products"
      >
        {board.total === 0 && !board.loading && (
          <Empty title={words ? "No product fits" : "There are no products yet"}>
            {words ? "Try fewer words." : "Import a file to begin."}
          </Empty>
        )}
        <div style={{ height: list.getTotalSize(), position: "relative" }}>
          {list.getVirtualItems().map((item) => {
            const row = board.row(item.index);
            return (
              // The whole row is a larger target of the link in it.
              // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-static-element-interactions
              <div
                key={row?.sku ?? item.index}
                data-sku={row?.sku}
                style={{ transform: `translateY(${item.start}px)`, height: 34 }}
                className={`absolute inset-x-0 top-0 flex items-center gap-4 border-b pr-6 pl-5 ${row && params.get("sku") === row.sku ? "bg-wash" : "hover:bg-wash/60"}`}
                onClick={() => row && set({ sku: row.sku })}
              >
                {row ? (
                  <>
                    <span className="w-36 truncate text-quiet">{row.sku}</span>
                    <Link
                      className="min-w-0 flex-1 truncate underline-offset-2 hover:underline"
                      title={row.name}
                      to={productPage(row.sku) + carried(params)}
                      onClick={(e) => e.stopPropagation()}
                    >
                      {row.name || row.sku}
                    </Link>
                    <span className="w-56 truncate text-quiet">{row.category.split("/").join(" › ")}</span>
                    <span className="w-28 text-right">{cell(row.sku, row.name, "list", row.bookList)}</span>
                    <span className="w-28 text-right">{cell(row.sku, row.name, "cost", row.bookCost)}</span>
                  </>
                ) : (
                  <span className="text-quiet">{amount(null)}</span>
                )}
              </div>
            );
          })}
        </div>
      </div>
      {dialog && (
        <WordsDialog
          viewpoint={kept}
          filter={{ ...noFilter, q: words }}
          skus={null}
          total={board.total}
          onClose={() => setDialog(false)}
        />
      )}
    </div>
  );
}
