import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { FlagGroup } from "../../api/client";
import { useFlags, useMoreFlags } from "../../api/flags";
import { useRules } from "../../api/rules";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { readFlagFilter, type FlagFilter } from "../../lib/address";
import { amount, count, counted, moment } from "../../lib/format";
import { Button } from "../../ui/button";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";
import { FlagFilters } from "./FlagFilters";
import { FlagLine, type Looked } from "./FlagLine";
import { LiveWith } from "./LiveWith";
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
            <h1 className="text-[19px]">
              {filter.acknowledged
                ? "Flags that somebody lives with"
                : filter.by === "cause"
                  ? headed(data.groups, narrowed !== "")
                  : "Flags"}
            </h1>
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
            <Group key={g.key} group={g} filter={filter} looked={data} />
          ))}
        </div>
      </div>
    </div>
  );
}

/** How many troubles there are, as the header counts them: mere notes are none. */
function headed(groups: FlagGroup[], narrowed: boolean): string {
  const n = groups.filter((g) => g.severity !== "note").length;
  const all = groups.reduce((sum, g) => sum + g.count, 0);
  if (groups.length === 0) return "Flags";
  return `${counted(n, "trouble")}${narrowed ? " of these" : ""}, ${counted(all, "flag")}`;
}

/** A group as it stands in the list: what the list is narrowed to is not more than what is lived with. */
const seenIn = ({ key, count }: FlagGroup, f: FlagFilter) => ({
  key,
  count,
  severity: f.severity,
  channel: f.in,
  layer: f.layer,
  campaign: f.campaign,
  category: f.category,
  q: f.q,
});

/** Flags that belong together: of one kind, or of one cause, which is one line until it is opened. */
function Group({ group, filter, looked }: { group: FlagGroup; filter: FlagFilter; looked: Looked }) {
  const byCause = filter.by === "cause";
  const [opened, setOpened] = useState(false);
  const [living, setLiving] = useState(false);
  const [wanted, setWanted] = useState(false);
  const more = useMoreFlags(filter, group, wanted);
  const may = useMay("manager");
  const entries = [...group.entries, ...(wanted ? (more.data?.pages.flatMap((p) => p.entries) ?? []) : [])];
  const { data: rules } = useRules();
  const rule = rules?.find((r) => r.rule.code === group.cause);
  const name = kindName(group.kind);
  const alone = byCause && group.count === 1;
  const open = !byCause || alone || opened;
  const of = group.cause ? (rule?.rule.name ?? group.cause) : "";
  return (
    <section
      aria-label={of ? `${name}, ${of}` : name}
      className={byCause ? "border-b" : "mb-8"}
      data-group={byCause ? `${group.kind} ${group.cause ?? ""}`.trim() : group.kind}
    >
      {alone ? (
        <h2 className="sr-only">
          {name} {count(group.count)}
        </h2>
      ) : (
        <div className={`flex items-baseline gap-3 ${byCause ? "py-2.5" : "border-b border-ink/50 pb-1"}`}>
          <h2 className={`min-w-0 ${byCause ? "flex-1 text-[15px]" : "shrink-0 text-[16px]"}`}>
            <span className={severityColour(group.severity)}>
              {name} <span className="font-normal">{count(group.count)}</span>
            </span>
            {of && <span className="font-normal"> made by “{of}”</span>}
            {byCause && <span className="block text-[13px] font-normal text-quiet">{kindWords[group.kind]?.hint}</span>}
          </h2>
          {!byCause && <p className="min-w-0 flex-1 text-quiet">{kindWords[group.kind]?.hint}</p>}
          {group.loss && (
            <p className="shrink-0 text-[13px] text-bad">
              {amount(group.loss)} on a sale of each{group.week && `, ${amount(group.week)} a week`}
            </p>
          )}
          {byCause && (
            <span className="flex shrink-0 gap-1">
              <Button look="bare" aria-expanded={opened} onClick={() => setOpened(!opened)}>
                {opened ? "Close" : "Show them"}
              </Button>
              {may && !filter.acknowledged && (
                <Button look="bare" aria-expanded={living} onClick={() => setLiving(!living)}>
                  Live with all
                </Button>
              )}
            </span>
          )}
        </div>
      )}
      {living && <LiveWith what={{ all: seenIn(group, filter) }} onDone={() => setLiving(false)} />}
      {open && (
        <ul className={byCause && !alone ? "border-t pl-5" : ""}>
          {entries.map((e) => (
            <FlagLine key={e.subject} entry={e} looked={looked} />
          ))}
        </ul>
      )}
      {open && group.count > entries.length && (
        <p className="mt-1 mb-2 text-quiet">
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
