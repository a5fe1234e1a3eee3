import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { FlagGroup } from "../../api/client";
import { useFlags, useMoreFlags } from "../../api/flags";
import { useRules } from "../../api/rules";
import { useProgramState } from "../../api/state";
import { readFlagFilter, type FlagFilter } from "../../lib/address";
import { amount, count, moment } from "../../lib/format";
import { useViewpoint } from "../../lib/viewpoint";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";
import { FlagFilters } from "./FlagFilters";
import { FlagLine } from "./FlagLine";
import { kindName, kindWords, severityColour } from "../../parts/flags/kinds";

/** Trouble that the program found, by kind or by cause, each with the question that shows it and what would mend it. */
export function Flags() {
  const [params] = useSearchParams();
  const filter = readFlagFilter(params);
  const { data, error, refetch } = useFlags(filter);
  const { data: state } = useProgramState();
  const drifting = state?.channels.filter((c) => c.drifting > 0) ?? [];
  const list = useRef<HTMLDivElement>(null);
  useOneTabStop(list, "[data-flag]");
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const narrowed =
    filter.kind +
    filter.severity +
    filter.in +
    filter.layer +
    filter.campaign +
    filter.category +
    filter.cause +
    filter.q;
  return (
    <div className="flex h-full min-h-0">
      <FlagFilters filter={filter} kinds={data.kinds} />
      <div ref={list} className="min-w-0 flex-1 overflow-y-auto">
        <div className="mx-auto max-w-[1000px] px-5 pb-16">
          <div className="flex items-baseline gap-4 py-3">
            <h1 className="text-[19px]">{filter.acknowledged ? "Flags that somebody lives with" : "Flags"}</h1>
            <p className="text-quiet" aria-live="polite">
              {data.left > 0
                ? `Looking at the present moment, the worst first: ${count(data.left)} products to go …`
                : data.present
                  ? "The present moment was looked at, the weeks to come are being looked at …"
                  : data.searching
                    ? "Looking at the newest change …"
                    : `Every question looked at, from now to ${moment(data.to, state?.now)}.`}
            </p>
          </div>
          {!narrowed && !filter.acknowledged && drifting.length > 0 && (
            <section aria-label="Shown otherwise than sent" className="mb-8" data-group="drift">
              <div className="flex items-baseline gap-3 border-b border-ink/50 pb-1">
                <h2 className="text-[16px] text-bad">
                  Shown otherwise than sent <span className="font-normal">{count(drifting.length)}</span>
                </h2>
                <p className="text-quiet">A channel shows other prices than it took: somebody changed them there.</p>
              </div>
              <ul>
                {drifting.map((c) => (
                  <li key={c.code} className="border-b py-1.5">
                    <Link
                      className="underline underline-offset-2"
                      to={`/publish?channel=${encodeURIComponent(c.code)}&tab=shows`}
                    >
                      {c.name || c.code}
                    </Link>{" "}
                    shows {count(c.drifting)} {c.drifting === 1 ? "price" : "prices"} otherwise than it took
                  </li>
                ))}
              </ul>
            </section>
          )}
          {data.groups.length === 0 && !data.searching && drifting.length === 0 && (
            <Empty
              title={filter.acknowledged ? "Nobody lives with a flag" : narrowed ? "No such flag" : "No trouble found"}
            >
              {narrowed
                ? "Other flags may be hidden by what is chosen beside this list."
                : "Prices below cost and rules that conflict show up here as soon as a saved change makes them."}
            </Empty>
          )}
          {data.groups.map((g) => (
            <Group key={`${g.kind ?? ""} ${g.cause ?? ""}`} group={g} filter={filter} />
          ))}
        </div>
      </div>
    </div>
  );
}

function Group({ group, filter }: { group: FlagGroup; filter: FlagFilter }) {
  const byCause = filter.by === "cause";
  const [wanted, setWanted] = useState(false);
  const more = useMoreFlags(filter, group.kind ?? "", group.entries.length, wanted);
  const entries = byCause
    ? group.entries.slice(0, 4)
    : [...group.entries, ...(wanted ? (more.data?.pages.flatMap((p) => p.entries) ?? []) : [])];
  const { data: rules } = useRules();
  const { set } = useViewpoint();
  const rule = rules?.find((r) => r.rule.code === group.cause);
  const name = byCause
    ? group.cause
      ? (rule?.rule.name ?? group.cause)
      : "No rule at work"
    : kindName(group.kind ?? "");
  return (
    <section aria-label={name} className="mb-8" data-group={group.kind ?? group.cause ?? ""}>
      <div className="flex items-baseline gap-3 border-b border-ink/50 pb-1">
        <h2 className={`text-[16px] ${severityColour(group.severity)}`}>
          {name} <span className="font-normal">{count(group.count)}</span>
        </h2>
        <p className="min-w-0 flex-1 text-quiet">
          {byCause
            ? group.parts.map((p, i) => (
                <span key={p.kind}>
                  {i > 0 && ", "}
                  <button
                    type="button"
                    className={`hover:underline ${severityColour(p.severity)}`}
                    onClick={() => set({ by: "kind", cause: group.cause ?? "", kind: p.kind })}
                  >
                    {kindName(p.kind).toLowerCase()} {count(p.count)}
                  </button>
                </span>
              ))
            : kindWords[group.kind ?? ""]?.hint}
        </p>
        {group.loss && (
          <p className="shrink-0 text-[13px] text-bad">
            {amount(group.loss)} on a sale of each{group.week && `, ${amount(group.week)} a week`}
          </p>
        )}
      </div>
      <ul>
        {entries.map((e) => (
          <FlagLine key={e.subject} entry={e} />
        ))}
      </ul>
      {byCause && group.count > 4 && (
        <button
          type="button"
          className="mt-1 text-quiet underline underline-offset-2 hover:text-ink"
          onClick={() => set({ by: "kind", cause: group.cause ?? "" })}
        >
          All {count(group.count)} of this cause
        </button>
      )}
      {!byCause && group.count > entries.length && (
        <p className="mt-1 text-quiet">
          The {count(entries.length)} with most at stake of {count(group.count)}.{" "}
          <button
            type="button"
            className="underline underline-offset-2 hover:text-ink"
            disabled={more.isFetching}
            onClick={() => (wanted ? void more.fetchNextPage() : setWanted(true))}
          >
            {more.error ? "They could not be fetched. Try again" : "Show more"}
          </button>
        </p>
      )}
    </section>
  );
}
