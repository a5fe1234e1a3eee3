import { useFacets } from "../../api/board";
import { useItems } from "../../api/items";
import { useRules } from "../../api/rules";
import { useProgramState } from "../../api/state";
import type { FlagFilter } from "../../lib/address";
import { layerNames } from "../../lib/layers";
import { count } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { useViewpoint } from "../../lib/viewpoint";
import { Out } from "../../ui/blanks";
import { kindName } from "../../parts/flags/kinds";

interface Props {
  filter: FlagFilter;
  kinds: { kind: string; count: number }[];
}

/** What the list of flags is narrowed to, and how it is grouped. */
export function FlagFilters({ filter, kinds }: Props) {
  const { set } = useViewpoint();
  const { data: state } = useProgramState();
  const { data: campaigns } = useItems("campaigns");
  const { data: facets } = useFacets();
  const { data: rules } = useRules();
  const text = useTyped(filter.q, (q) => set({ q }));
  const choice = (label: string, key: string, value: string, options: (readonly [string, string])[]) => (
    <label className="block">
      <span className="text-[12px] text-quiet">{label}</span>
      <select className="field block w-full" value={value} onChange={(e) => set({ [key]: e.target.value })}>
        <option value="">any</option>
        {options.map(([k, name]) => (
          <option key={k} value={k}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
  const cause = rules?.find((r) => r.rule.code === filter.cause);
  return (
    <nav aria-label="Which flags" className="w-60 shrink-0 overflow-y-auto border-r px-3 py-3">
      <div role="group" aria-label="Grouped" className="flex gap-1 pb-2">
        {(["kind", "cause"] as const).map((by) => (
          <button
            key={by}
            type="button"
            aria-pressed={filter.by === by}
            className={`rounded-[3px] px-2.5 py-0.5 font-medium ${filter.by === by ? "bg-ink text-paper" : "text-quiet hover:bg-wash"}`}
            onClick={() => set({ by })}
          >
            By {by}
          </button>
        ))}
      </div>
      <input
        aria-label="Find flags"
        placeholder="Goods or rules"
        className="field block w-full"
        value={text.text}
        onChange={(e) => text.type(e.target.value)}
        onBlur={text.done}
      />
      {filter.cause && (
        <p className="pt-1.5 text-[14px]">
          caused by <b>{cause?.rule.name ?? filter.cause}</b>
          <Out label="Any cause" onClick={() => set({ cause: "" })} />
        </p>
      )}
      <ul className="pt-2">
        <li>
          <Kind
            name="Every kind"
            on={filter.kind === ""}
            n={kinds.reduce((n, k) => n + k.count, 0)}
            onClick={() => set({ kind: "" })}
          />
        </li>
        {kinds.map((k) => (
          <li key={k.kind}>
            <Kind
              name={kindName(k.kind)}
              on={filter.kind === k.kind}
              n={k.count}
              onClick={() => set({ kind: k.kind })}
            />
          </li>
        ))}
      </ul>
      <div className="space-y-1.5 border-t pt-2">
        {choice("How grave", "severity", filter.severity, [
          ["error", "errors"],
          ["warning", "warnings"],
          ["note", "notes"],
        ])}
        {choice(
          "Raised in",
          "in",
          filter.in,
          (state?.channels ?? []).map((c) => [c.code, c.name] as const),
        )}
        {choice("Layer of the rule", "layer", filter.layer, Object.entries(layerNames))}
        {choice(
          "Campaign of the rule",
          "campaign",
          filter.campaign,
          (campaigns ?? []).map((c) => [c.code, c.name || c.code] as const),
        )}
        {choice(
          "Goods",
          "category",
          filter.category,
          (facets?.categories ?? []).map((c) => [c, c.replaceAll("/", " › ")] as const),
        )}
        <label className="flex items-center gap-1.5 pt-1">
          <input
            type="checkbox"
            className="accent-ink"
            checked={filter.acknowledged}
            onChange={(e) => set({ acknowledged: e.target.checked ? "true" : "" })}
          />
          those that somebody lives with
        </label>
      </div>
    </nav>
  );
}

const Kind = ({ name, on, n, onClick }: { name: string; on: boolean; n: number; onClick: () => void }) => (
  <button
    type="button"
    aria-pressed={on}
    className={`flex w-full items-baseline justify-between gap-2 rounded-[3px] px-1.5 py-0.5 text-left ${on ? "bg-wash font-medium" : "text-quiet hover:bg-wash"}`}
    onClick={onClick}
  >
    <span>{name}</span>
    <span className="text-[13px]">{count(n)}</span>
  </button>
);
