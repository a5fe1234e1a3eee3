import { onePriceFile, useOnePrice, type PriceThat } from "../../api/everywhere";
import { useCategories } from "../../api/board";
import { useProgramState } from "../../api/state";
import { count, moment } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { useViewpoint } from "../../lib/viewpoint";
import { Button } from "../../ui/button";
import { Empty, Failed } from "../../ui/states";
import { Tip } from "../../ui/tip";

const page = 100;

/** What a standing is called, and what it means. */
const stands: Record<PriceThat["state"], [words: string, why: string]> = {
  drifting: ["drifts", "The channel shows another price than it took"],
  unsure: ["unsure", "The channel did not answer: nobody knows whether it took the last price"],
  held: ["held back", "It was taken back, and stays so until it is released"],
  behind: ["behind", "The saved book says otherwise by now"],
  "in-step": ["", ""],
  absent: ["", ""],
};

/** Each product's price in book, feed and channel held against each other: which is behind, and since when. */
export function OnePrice() {
  const { viewpoint, params, set } = useViewpoint();
  const { data: state } = useProgramState();
  const filter = {
    q: params.get("q") ?? "",
    category: params.get("category") ?? "",
    only: params.get("only") === "all" ? ("" as const) : ("apart" as const),
  };
  const start = Math.max(Number(params.get("start") ?? 0) || 0, 0);
  const words = useTyped(filter.q, (q) => set({ q, start: null }));
  const { data, error, refetch, isPlaceholderData: old } = useOnePrice(filter, start, page);
  const { data: categories } = useCategories(viewpoint);
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data || !state) return null;
  const channels = state.channels;
  return (
    <section aria-label="One price everywhere" className="flex h-full flex-col">
      <div className="flex shrink-0 flex-wrap items-center gap-3 border-b px-5 py-2">
        <Button onClick={() => set({ view: null, start: null, only: null, q: null, category: null })}>
          Back to the channels
        </Button>
        <input
          className="field w-52"
          type="search"
          aria-label="Find a product"
          placeholder="name or SKU"
          value={words.text}
          onChange={(e) => words.type(e.target.value)}
          onBlur={words.done}
        />
        <select
          aria-label="Category"
          className="blank max-w-56"
          value={filter.category}
          onChange={(e) => set({ category: e.target.value, start: null })}
        >
          <option value="">in every category</option>
          {categories?.categories
            .filter((c) => c.path !== "")
            .map((c) => (
              <option key={c.path} value={c.path}>
                {c.path.split("/").join(" › ")}
              </option>
            ))}
        </select>
        <select
          aria-label="Which products"
          className="blank"
          value={filter.only}
          onChange={(e) => set({ only: e.target.value === "" ? "all" : null, start: null })}
        >
          <option value="apart">not the same everywhere</option>
          <option value="">all products</option>
        </select>
        <span className="text-quiet" aria-live="polite">
          {count(data.total)} of {count(data.products)} products
        </span>
        <a className="ml-auto underline underline-offset-2" href={onePriceFile(filter)} download>
          Save as CSV
        </a>
        {data.total > page && (
          <span className="flex items-center gap-2">
            <Button disabled={start === 0} onClick={() => set({ start: String(Math.max(start - page, 0)) })}>
              Before
            </Button>
            {count(start + 1)} to {count(Math.min(start + page, data.total))}
            <Button disabled={start + page >= data.total} onClick={() => set({ start: String(start + page) })}>
              Next
            </Button>
          </span>
        )}
      </div>
      {data.total === 0 ? (
        <Empty title={filter.only ? "One price everywhere" : "No product by that"}>
          {filter.only
            ? "Book, feeds and channels agree on every product that is looked at."
            : "Look for something else, or in every category."}
        </Empty>
      ) : (
        <div className={`min-h-0 flex-1 overflow-auto ${old ? "opacity-60" : ""}`}>
          <table className="w-full min-w-max border-separate border-spacing-0">
            <thead>
              <tr className="text-left text-[12px] text-quiet">
                <th className="sticky top-0 left-0 z-20 border-b border-ink/50 bg-paper py-1 pl-5 font-normal">
                  Product
                </th>
                {channels.map((c) => (
                  <th
                    key={c.code}
                    className="sticky top-0 z-10 w-36 border-b border-ink/50 bg-paper pr-5 text-right font-normal"
                  >
                    {c.name} <span className="opacity-70">{c.currency}</span>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {data.rows.map((r) => (
                <tr key={r.sku} data-sku={r.sku} className="align-top">
                  <td className="sticky left-0 z-10 max-w-[320px] border-b bg-paper py-1.5 pr-4 pl-5">
                    <div className="truncate">{r.name || r.sku}</div>
                    <div className="text-[12px] text-quiet">{r.sku}</div>
                  </td>
                  {channels.map((c) => (
                    <td key={c.code} className="border-b py-1.5 pr-5 text-right whitespace-nowrap">
                      <That that={r.channels.find((t) => t.channel === c.code)} now={state.now} />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

/** A price in a channel: as it was published, and below what says otherwise. */
function That({ that, now }: { that: PriceThat | undefined; now: string }) {
  if (!that || that.state === "absent") return <span className="text-quiet">–</span>;
  const [words, why] = stands[that.state];
  if (words === "") return <span>{that.shows}</span>;
  const other = that.state === "drifting" ? (that.reports ?? "nothing") : (that.book ?? "no price");
  return (
    <>
      <div>
        {that.shows ?? "not shown"}
        <span className="font-medium"> → {other}</span>
      </div>
      <Tip text={why}>
        <div
          className={`ml-auto max-w-[130px] text-[12px] leading-snug whitespace-normal ${that.state === "drifting" || that.state === "unsure" ? "text-bad" : "text-quiet"}`}
        >
          {words}
          {that.since && `, ${that.state === "drifting" ? "since" : "shown since"} ${moment(that.since, now)}`}
        </div>
      </Tip>
    </>
  );
}
