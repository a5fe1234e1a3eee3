import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import type { Difference, Differences } from "../../api/client";
import { differencesPage, differencesQuery, type DifferencesOf } from "../../api/publications";
import { useRules } from "../../api/rules";
import { count } from "../../lib/format";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty } from "../../ui/states";
import type { ChangeFilter, Decision } from "./changes";
import { DifferenceLine } from "./DifferenceLine";
import { differenceWords } from "./words";
import { Worth } from "./Worth";

interface Props {
  channel: string;
  data: Differences;
  filter: ChangeFilter;
  /** What is asked of the program: the filter, and which pieces count as chosen. */
  of: DifferencesOf;
  onFilter: (change: Partial<ChangeFilter>) => void;
  decisions: ReadonlyMap<string, Decision>;
  /** Whether rows of which nothing was decided are sent. */
  all: boolean;
  /** Whether all blocked ones without a reason are left out. */
  leaveOutBlocked: boolean;
  mayOverride: boolean;
  onDecide: (row: Difference, d: { reason: string; goes: boolean; leaveOut: boolean }) => void;
  /** Takes all rows in or leaves all out; absent where nothing can be sent. */
  onAll: ((all: boolean) => void) | undefined;
  onRelease: (row: Difference) => void;
}

/** The prices that come of what was changed, row by row, as far as they are wanted. */
export function Changes(props: Props) {
  const { data } = props;
  if (data.total === 0)
    return (
      <Empty title={data.pieces.length === 0 ? `The ${data.name} shows the saved prices` : "No price changes now"}>
        {data.pieces.length === 0
          ? `${count(data.same)} products agree. What you save from now on shows here until it is sent.`
          : "What was changed matters in the basket, later, or not in this channel. It goes all the same."}
      </Empty>
    );
  return (
    <section aria-label="The prices that come of it" className="flex min-h-0 flex-1 flex-col">
      <Filters {...props} />
      <Rows {...props} />
    </section>
  );
}

function Filters({ data, filter, onFilter }: Props) {
  const { data: rules } = useRules();
  const kinds = [
    ...data.kinds.map((k) => [k.kind, differenceWords[k.kind] ?? k.kind, k.count] as const),
    ["blocked", "blocked", data.blocked] as const,
    ["held", "held back", data.held] as const,
    ["left-out", "left out", data.leftOut] as const,
  ].filter(([kind, , n]) => n > 0 || filter.kind === kind);
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b px-5 py-1.5">
      <div role="group" aria-label="Kinds of changes" className="flex">
        {[["", "all", data.total] as const, ...kinds].map(([kind, words, n]) => (
          <button
            key={kind}
            type="button"
            aria-pressed={filter.kind === kind}
            className={`border-b-2 px-2 py-0.5 ${filter.kind === kind ? "border-ink font-medium" : "border-transparent text-quiet hover:text-ink"}`}
            onClick={() => onFilter({ kind })}
          >
            {words} {count(n)}
          </button>
        ))}
      </div>
      <Narrow
        label="Show what a rule makes"
        all="of every rule"
        value={filter.rule}
        options={data.made.map(({ value, count: n }) => [
          value,
          `of ${rules?.find((r) => r.rule.code === value)?.rule.name ?? value} (${count(n)})`,
        ])}
        onChange={(rule) => onFilter({ rule })}
      />
      <Narrow
        label="Show a category"
        all="in every category"
        value={filter.category}
        options={data.within.map(({ value, count: n }) => [value, `${value.split("/").join(" › ")} (${count(n)})`])}
        onChange={(category) => onFilter({ category })}
      />
      <Find value={filter.q} onFind={(q) => onFilter({ q })} />
      <Worth worth={data.of.worth} className="ml-auto" />
    </div>
  );
}

/** What is typed stands at once, however long the address takes to follow. */
function Find({ value, onFind }: { value: string; onFind: (q: string) => void }) {
  const [typed, setTyped] = useState(value);
  const last = useRef(value);
  useEffect(() => {
    if (value !== last.current) setTyped(value); // it was changed elsewhere
    last.current = value;
  }, [value]);
  return (
    <input
      className="field w-32"
      type="search"
      aria-label="Find among the changes"
      placeholder="find"
      value={typed}
      onChange={(e) => {
        setTyped(e.target.value);
        last.current = e.target.value;
        onFind(e.target.value);
      }}
    />
  );
}

/** Narrows what is shown to one of some; what is sent stays as it is. */
const Narrow = (props: {
  label: string;
  all: string;
  value: string;
  options: [string, string][];
  onChange: (value: string) => void;
}) => (
  <select
    aria-label={props.label}
    className="blank max-w-44"
    value={props.value}
    onChange={(e) => props.onChange(e.target.value)}
  >
    <option value="">{props.all}</option>
    {/* What was chosen may have been sent meanwhile. */}
    {props.value && !props.options.some(([value]) => value === props.value) && (
      <option value={props.value}>{props.value}</option>
    )}
    {props.options.map(([value, name]) => (
      <option key={value} value={value}>
        {name}
      </option>
    ))}
  </select>
);

function Rows({ channel, data, of, decisions, all, leaveOutBlocked, mayOverride, onDecide, onAll, onRelease }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  useOneTabStop(scroller, "[data-sku]");
  const list = useVirtualizer({
    count: data.of.total,
    getScrollElement: () => scroller.current,
    estimateSize: () => 40,
    overscan: 12,
  });
  const items = list.getVirtualItems();
  const pages = [...new Set(items.map((i) => Math.floor(i.index / differencesPage)))];
  const fetched = useQueries({
    queries: pages.map((p) => differencesQuery(channel, of, p * differencesPage)),
  });
  const rowAt = (index: number) =>
    fetched[pages.indexOf(Math.floor(index / differencesPage))]?.data?.rows[index % differencesPage];
  const others = [...decisions.values()].some((d) => d.goes !== undefined && d.goes !== all);
  return (
    <>
      <div className="flex shrink-0 gap-3 border-b border-ink/50 py-1 pr-[30px] pl-4 text-[12px] text-quiet">
        {onAll && (
          <input
            type="checkbox"
            className="accent-ink"
            aria-label="Send all prices"
            checked={all && !others}
            ref={(box) => {
              if (box) box.indeterminate = others;
            }}
            onChange={(e) => onAll(e.target.checked)}
          />
        )}
        <span className="min-w-0 flex-1">Product</span>
        <span className="w-[70px] text-right">shows</span>
        <span className="w-[76px] text-right">would show</span>
        <span className="w-[70px] text-right">change</span>
        <span className="w-[70px] text-right @max-[1000px]:hidden">was</span>
        <span className="w-[64px] text-right">margin</span>
        <span className="w-[270px] @max-[1100px]:w-[220px] @max-[760px]:w-[150px]">blocked</span>
      </div>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-y-scroll bg-sheet"
        role="region"
        tabIndex={0}
        aria-label="Rows that would change"
      >
        {data.of.total === 0 && (
          <p className="px-5 py-3 text-quiet">Nothing here matches the filter. What is ticked stays so.</p>
        )}
        <div style={{ height: list.getTotalSize(), position: "relative" }}>
          {items.map((item) => {
            const row = rowAt(item.index);
            if (!row)
              return (
                <div
                  key={item.key}
                  style={{ transform: `translateY(${item.start}px)`, height: 40 }}
                  className="absolute inset-x-0 top-0 border-b px-5 py-2 text-quiet"
                >
                  …
                </div>
              );
            const decision = decisions.get(row.sku);
            return (
              <DifferenceLine
                key={row.sku}
                row={row}
                top={item.start}
                reason={decision?.reason ?? ""}
                goes={
                  decision?.leaveOut
                    ? false
                    : (decision?.goes ??
                      (all && !(leaveOutBlocked && row.blocked.length > 0 && !decision?.reason.trim())))
                }
                leaveOut={
                  decision?.leaveOut ?? (all && leaveOutBlocked && row.blocked.length > 0 && !decision?.reason.trim())
                }
                mayChoose={onAll !== undefined}
                mayOverride={mayOverride}
                onDecide={(d) => onDecide(row, d)}
                onRelease={() => onRelease(row)}
              />
            );
          })}
        </div>
      </div>
    </>
  );
}
