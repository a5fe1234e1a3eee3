import { useEffect, useRef, useState } from "react";
import { useLocation } from "react-router";
import { useNames } from "../../lib/names";
import { useOutlook } from "../../api/prices";
import { useRules } from "../../api/rules";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { useViewpoint } from "../../lib/viewpoint";
import type { RuleRow } from "../../api/client";
import { Button } from "../../ui/button";
import { Failed } from "../../ui/states";
import { useOneTabStop } from "../../ui/one-stop";
import { ArrangeDialog } from "./ArrangeDialog";
import { Band } from "./Band";
import { BatchBar } from "./BatchBar";
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
  (filter === "over" && (r.state === "over" || r.state === "never")) ||
  (filter === "off" && (r.state === "off" || r.state === "draft" || r.state === "waits"));

/** The layers as bands, in the order in which prices pass through them, with their rules by rank. */
export function Stack() {
  const { data: state } = useProgramState();
  const { data: rules, error, refetch } = useRules();
  const [words, setWords] = useState("");
  const [filter, setFilter] = useState("all");
  const [ticked, setTicked] = useState<Set<string>>(new Set());
  const [arranging, setArranging] = useState(false);
  const [onlyReaching, setOnlyReaching] = useState(false);
  const { params, viewpoint } = useViewpoint();
  const sku = params.get("sku") ?? "";
  const { data: outlook } = useOutlook(viewpoint, onlyReaching ? sku : "");
  const names = useNames();
  const may = useMay("manager");
  const { focus = "" } = (useLocation().state ?? {}) as { focus?: string };
  // Back from the editor, what was written there is where one goes on.
  const there = rules?.some((r) => r.rule.code === focus) ?? false; // a new one comes with the next answer
  useEffect(() => {
    if (there) document.querySelector<HTMLElement>(`[data-rule="${CSS.escape(focus)}"] a`)?.focus();
  }, [focus, there]);
  const tick = (code: string, on: boolean) =>
    setTicked((old) => {
      const next = new Set(old);
      if (on) next.add(code);
      else next.delete(code);
      return next;
    });
  const wanted = words.toLowerCase();
  const reaching = sku ? outlook?.rules.map((r) => r.code) : undefined;
  const seen = (r: RuleRow) =>
    fits(r, filter) &&
    (!onlyReaching || !reaching || reaching.includes(r.rule.code)) &&
    `${r.rule.name ?? ""} ${r.rule.code} ${r.rule.note ?? ""} ${goodsWords(r.rule.where, names)}`
      .toLowerCase()
      .includes(wanted);
  const list = useRef<HTMLDivElement>(null);
  useOneTabStop(list, "[data-rule]");
  if (error && !rules) return <Failed error={error} retry={() => void refetch()} />;
  const layers = state?.layers ?? [];
  return (
    <div ref={list} className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[1500px] px-5 pb-16">
        <div className="flex items-center gap-4 py-3">
          <h1 className="text-[19px]">Stack</h1>
          <p className="text-quiet">A price passes from top to bottom.{!may && " You may look, not write rules."}</p>
          {may && <Button onClick={() => setArranging(true)}>Order and modes</Button>}
          {sku && (
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-ink"
                checked={onlyReaching}
                onChange={(e) => setOnlyReaching(e.target.checked)}
              />
              only what selects {sku}
            </label>
          )}
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
        {ticked.size > 0 && <BatchBar codes={[...ticked]} onClear={() => setTicked(new Set())} />}
        {arranging && state && <ArrangeDialog layers={state.layers} onClose={() => setArranging(false)} />}
        {rules &&
          layers.map((l) => (
            <Band
              key={l.layer}
              layer={l.layer}
              mode={l.mode}
              rules={rules.filter((r) => r.rule.layer === l.layer)}
              seen={seen}
              filtered={words !== "" || filter !== "all" || onlyReaching}
              names={names}
              ticked={ticked}
              onTick={tick}
              now={state?.now ?? ""}
            />
          ))}
      </div>
    </div>
  );
}
