import { useMemo, useState } from "react";
import type { Layer, RuleRow } from "../../api/client";
import { useProgramState, useRules } from "../../api/queries";
import { Failed } from "../../ui/states";
import { Band } from "./Band";
import { goodsWords } from "../../lib/sentence";

const filters: [string, string][] = [
  ["all", "all rules"],
  ["on", "on now"],
  ["coming", "coming"],
  ["over", "over"],
  ["off", "off or draft"],
];

const fits = (r: RuleRow, filter: string) =>
  filter === "all" ||
  (filter === "on" && r.state === "on") ||
  (filter === "coming" && (r.state === "opens" || r.state === "closed")) ||
  (filter === "over" && r.state === "over") ||
  (filter === "off" && (r.state === "off" || r.state === "draft"));

/** The layers as bands, in the order in which prices pass through them, with their rules by rank. */
export function Stack() {
  const { data: state } = useProgramState();
  const { data: rules, error, refetch } = useRules();
  const [words, setWords] = useState("");
  const [filter, setFilter] = useState("all");
  const channels = useMemo(() => new Map((state?.channels ?? []).map((c) => [c.code, c.name])), [state]);
  const wanted = words.toLowerCase();
  const seen = (r: RuleRow) =>
    fits(r, filter) &&
    `${r.rule.name ?? ""} ${r.rule.code} ${r.rule.note ?? ""} ${goodsWords(r.rule.where)}`
      .toLowerCase()
      .includes(wanted);
  if (error && !rules) return <Failed error={error} retry={() => void refetch()} />;
  // The catalog and sale layers can be written here so far; others are shown where a book holds rules in them.
  const layers = (state?.layers ?? []).filter(
    (l) => l.layer === "catalog" || l.layer === "sale" || rules?.some((r) => r.rule.layer === l.layer),
  );
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[1500px] px-5 pb-16">
        <div className="flex items-center gap-4 py-3">
          <h1 className="text-[19px]">Stack</h1>
          <p className="text-quiet">A price passes from top to bottom.</p>
          <input
            type="search"
            aria-label="Find a rule"
            placeholder="Find a rule"
            className="field ml-auto w-56"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <label>
            Show{" "}
            <select
              aria-label="Show rules"
              className="blank"
              value={filter}
              onChange={(e) => setFilter(e.target.value)}
            >
              {filters.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </label>
        </div>
        {rules &&
          layers.map((l) => (
            <Band
              key={l.layer}
              layer={l.layer as Layer}
              mode={l.mode}
              rules={rules.filter((r) => r.rule.layer === l.layer)}
              seen={seen}
              filtered={words !== "" || filter !== "all"}
              channels={channels}
              now={state?.now ?? ""}
            />
          ))}
      </div>
    </div>
  );
}
