import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Search } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState, type RefObject } from "react";
import { useCompact } from "../../lib/rows";
import type { Extra } from "./columns";
import { boardFile } from "../../api/board";
import { dropView, keepView, viewsQuery } from "../../api/views";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import type { BoardFilter } from "../../lib/address";
import { count } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { Button } from "../../ui/button";
import { Narrow, useChips } from "./Narrow";
import { useFailed } from "../../ui/toasts";

const shows: [BoardFilter["show"], string][] = [
  ["all", "all products"],
  ["reduced", "reduced"],
  ["changed", "changed"],
  ["below-cost", "below cost"],
  ["no-price", "without a price"],
];

const spreads: [BoardFilter["spread"], string][] = [
  ["", "not spread"],
  ["group", "spread by group"],
  ["quantity", "spread by quantity"],
  ["channel", "spread by channel"],
  ["changes", "spread by coming change"],
];

const exports: [string, Record<string, string>][] = [
  ["Spreadsheet (XLSX)", { format: "xlsx" }],
  ["Text file, 1234.56 and commas (CSV)", { format: "csv", decimal: "point" }],
  ["Text file, 1234,56 and semicolons (CSV)", { format: "csv", decimal: "comma" }],
];

interface Props {
  viewpoint: Viewpoint;
  filter: BoardFilter;
  extra: Extra[];
  bars: boolean;
  total: number;
  search: RefObject<HTMLInputElement | null>;
  set: (change: Record<string, string | null>) => void;
  onBulk: () => void;
  onWords: () => void;
  onPaste: () => void;
  onPrint: (what: "labels" | "list") => void;
}

const item = "cursor-pointer rounded-[3px] px-3 py-1 outline-none data-[highlighted]:bg-wash";
const menu = "z-40 min-w-52 rounded-[4px] border border-ink/40 bg-sheet p-1 shadow-xl";

/** The line above the board: what is shown, how, and what can be done with all of it. */
export function BoardTools({
  viewpoint,
  filter,
  extra,
  bars,
  total,
  search,
  set,
  onBulk,
  onWords,
  onPaste,
  onPrint,
}: Props) {
  const { data: state } = useProgramState();
  const may = useMay("manager");
  const [compact, setCompact] = useCompact();
  const words = useTyped(filter.q, (q) => set({ q }));
  const chips = useChips(filter);
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b px-3 py-1.5">
      <label className="field flex w-56 items-center gap-1.5">
        <Search size={14} className="shrink-0 text-quiet" aria-hidden />
        <input
          ref={search}
          type="search"
          aria-label="Search the board"
          placeholder="Name, SKU, brand …  /"
          className="w-full bg-transparent outline-none"
          value={words.text}
          onChange={(e) => words.type(e.target.value)}
          onBlur={words.done}
          onKeyDown={(e) => {
            if (e.key === "Enter") words.done();
            if (e.key === "Escape") e.currentTarget.blur();
          }}
        />
      </label>
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
      <select
        aria-label="Spread"
        className="blank"
        value={filter.spread}
        onChange={(e) => set({ spread: e.target.value })}
      >
        {spreads.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </select>
      <Narrow filter={filter} set={set} />
      {chips.map(({ keys, words }) => (
        <button
          key={keys[0]}
          type="button"
          className="max-w-72 truncate rounded-full border border-ink/40 px-2 hover:bg-wash"
          onClick={() => set(Object.fromEntries(keys.map((key) => [key, null])))}
          aria-label={`Only ${words}. Remove`}
        >
          {words} ×
        </button>
      ))}
      <span className="ml-auto whitespace-nowrap text-quiet" aria-live="polite" data-testid="board-total">
        {count(total)} of {count(state?.products ?? 0)}
      </span>
      <Button look="bare" aria-pressed={bars} onClick={() => set({ bars: bars ? null : "open" })}>
        Histograms
      </Button>
      <ViewsMenu set={set} />
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button look="bare">More</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" className={menu}>
            {(["stock", "sold"] as const).map((key) => (
              <DropdownMenu.CheckboxItem
                key={key}
                className={item}
                checked={extra.includes(key)}
                onCheckedChange={(on) =>
                  set({ cols: (on ? [...extra, key] : extra.filter((k) => k !== key)).join(",") })
                }
              >
                {extra.includes(key) ? "✓ " : ""}
                {key === "stock" ? "Column: stock" : "Column: units sold"}
              </DropdownMenu.CheckboxItem>
            ))}
            <DropdownMenu.CheckboxItem className={item} checked={compact} onCheckedChange={setCompact}>
              {compact ? "✓ " : ""}
              Low rows
            </DropdownMenu.CheckboxItem>
            <DropdownMenu.Separator className="my-1 border-t" />
            <DropdownMenu.Label className="px-3 text-[12px] text-quiet">Export what is shown</DropdownMenu.Label>
            {exports.map(([name, how]) => (
              <DropdownMenu.Item key={name} asChild>
                <a className={`${item} block`} href={boardFile("/api/export", viewpoint, filter, how)} download>
                  {name}
                </a>
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Separator className="my-1 border-t" />
            <DropdownMenu.Label className="px-3 text-[12px] text-quiet">Print what is shown</DropdownMenu.Label>
            <DropdownMenu.Item className={item} onSelect={() => onPrint("labels")}>
              Shelf labels
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => onPrint("list")}>
              Price list
            </DropdownMenu.Item>
            {may && (
              <>
                <DropdownMenu.Separator className="my-1 border-t" />
                <DropdownMenu.Item className={item} onSelect={onWords}>
                  Change a tag or an attribute of all shown
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} onSelect={onBulk}>
                  Change list prices or costs of all shown
                </DropdownMenu.Item>
                <DropdownMenu.Item className={item} onSelect={onPaste}>
                  Paste from a spreadsheet
                </DropdownMenu.Item>
              </>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  );
}

/** Views of the board that somebody keeps by name. */
function ViewsMenu({ set }: { set: Props["set"] }) {
  const { data: views } = useQuery(viewsQuery);
  const client = useQueryClient();
  const fail = useFailed();
  const [naming, setNaming] = useState(false);
  const [name, setName] = useState("");
  const done = () => client.invalidateQueries({ queryKey: ["saved-views"] });
  const keep = useMutation({
    mutationFn: () => keepView({ name: name.trim(), query: window.location.search.slice(1) }),
    onSuccess: () => {
      setNaming(false);
      setName("");
      return done();
    },
    onError: fail,
  });
  const drop = useMutation({
    mutationFn: dropView,
    onSuccess: done,
    onError: fail,
  });
  const open = (query: string) => {
    const next = new URLSearchParams(query);
    const change: Record<string, string | null> = {};
    for (const key of new URLSearchParams(window.location.search).keys()) change[key] = null;
    for (const [key, value] of next) change[key] = value;
    set(change);
  };
  if (naming)
    return (
      <form
        className="flex items-center gap-1"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <input
          aria-label="Name of the view"
          autoFocus
          maxLength={80}
          className="field w-36"
          value={name}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => e.key === "Escape" && setNaming(false)}
        />
        <Button type="submit" disabled={name.trim() === "" || keep.isPending}>
          Keep
        </Button>
      </form>
    );
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button look="bare">Views</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className={menu}>
          {views?.map((v) => (
            <div key={v.name} className="flex items-center">
              <DropdownMenu.Item className={`${item} flex-1`} onSelect={() => open(v.query)}>
                {v.name}
              </DropdownMenu.Item>
              <DropdownMenu.Item
                className="cursor-pointer rounded-[3px] px-2 py-1 text-quiet outline-none data-[highlighted]:bg-wash"
                aria-label={`Forget the view ${v.name}`}
                onSelect={() => drop.mutate(v.name)}
              >
                ×
              </DropdownMenu.Item>
            </div>
          ))}
          {views?.length === 0 && <p className="px-3 py-1 text-quiet">No view is kept yet.</p>}
          <DropdownMenu.Separator className="my-1 border-t" />
          <DropdownMenu.Item className={item} onSelect={() => setNaming(true)}>
            Keep this view …
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
