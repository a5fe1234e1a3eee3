import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import type { Difference, Differences } from "../../api/client";
import { differencesPage, differencesQuery } from "../../api/publications";
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
  onFilter: (change: Partial<ChangeFilter>) => void;
  decisions: ReadonlyMap<string, Decision>;
  /** Whether rows of which nothing was decided are sent. */
  all: boolean;
  mayOverride: boolean;
  onDecide: (row: Difference, d: { reason: string; leaveOut: boolean }) => void;
  /** Takes all rows in or leaves all out; absent where nothing can be sent. */
  onAll: ((all: boolean) => void) | undefined;
  onRelease: (sku: string) => void;
}

/** What a channel would be told, row by row, as far as it is wanted. */
export function Changes(props: Props) {
  const { data } = props;
  if (data.total === 0)
    return (
      <Empty title={`The ${data.name} shows the saved prices`}>
        {count(data.same)} products agree. What you save from now on shows here until it is sent.
      </Empty>
    );
  return (
    <>
      <Filters {...props} />
      <Rows {...props} />
    </>
  );
}

function Filters({ data, filter, onFilter }: Props) {
  const { data: rules } = useRules();
  const kinds = [
    ...data.kinds.map((k) => [k.kind, differenceWords[k.kind] ?? k.kind, k.count] as const),
    ["blocked", "blocked", data.blocked] as const,
    ["held", "held back", data.held] as const,
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
        label="Send what a rule makes"
        all="of every rule"
        value={filter.rule}
        options={data.made.map(({ value, count: n }) => [
          value,
          `of ${rules?.find((r) => r.rule.code === value)?.rule.name ?? value} (${count(n)})`,
        ])}
        onChange={(rule) => onFilter({ rule })}
      />
      <Narrow
        label="Send a category"
        all="in every category"
        value={filter.category}
        options={data.within.map(({ value, count: n }) => [value, `${value.split("/").join(" › ")} (${count(n)})`])}
        onChange={(category) => onFilter({ category })}
      />
      <input
        className="field w-40"
        type="search"
        aria-label="Find among the changes"
        placeholder="find"
        value={filter.q}
        onChange={(e) => onFilter({ q: e.target.value })}
      />
      <Worth worth={data.of.worth} className="ml-auto" />
    </div>
  );
}

/** Narrows what is shown and sent to one of some. */
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

function Rows({ channel, data, filter, decisions, all, mayOverride, onDecide, onAll, onRelease }: Props) {
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
    queries: pages.map((p) => differencesQuery(channel, filter, p * differencesPage)),
  });
  const rowAt = (index: number) =>
    fetched[pages.indexOf(Math.floor(index / differencesPage))]?.data?.rows[index % differencesPage];
  const others = [...decisions.values()].some((d) => d.out !== undefined && d.out === all);
  return (
    <>
      <div className="flex shrink-0 gap-4 border-b border-ink/50 py-1 pr-[38px] pl-5 text-[12px] text-quiet @max-[1000px]:gap-2.5">
        {onAll && (
          <input
            type="checkbox"
            className="accent-ink"
            aria-label="Send all of these"
            checked={all && !others}
            ref={(box) => {
              if (box) box.indeterminate = others;
            }}
            onChange={(e) => onAll(e.target.checked)}
          />
        )}
        <span className="min-w-0 flex-1">Product</span>
        <span className="w-20 text-right">shows</span>
        <span className="w-20 text-right">would show</span>
        <span className="w-20 text-right">change</span>
        <span className="w-24 text-right @max-[1000px]:hidden">reduced from</span>
        <span className="w-20 text-right">margin</span>
        <span className="w-[330px] @max-[1000px]:w-[240px]">blocked</span>
      </div>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-y-scroll bg-sheet"
        role="region"
        tabIndex={0}
        aria-label="Rows that would change"
      >
        {data.of.total === 0 && <p className="px-5 py-3 text-quiet">No change is such.</p>}
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
                leaveOut={decision?.out ?? !all}
                mayChoose={onAll !== undefined}
                mayOverride={mayOverride}
                onDecide={(d) => onDecide(row, d)}
                onRelease={() => onRelease(row.sku)}
              />
            );
          })}
        </div>
      </div>
    </>
  );
}
