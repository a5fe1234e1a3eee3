import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";
import { publish, useDifferences, usePublication, usePublications, useRelease } from "../../api/publications";
import { refresh } from "../../api/saving";
import { Problem, type Difference, type Publication } from "../../api/client";
import { count, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useRules } from "../../api/rules";
import { useViewpoint } from "../../lib/viewpoint";
import { useDrifts } from "../../api/links";
import { useMay } from "../../api/session";
import { DifferenceLine, type Decision } from "./DifferenceLine";
import { Connection } from "./Connection";
import { Drifts } from "./Drifts";
import { Due } from "./Due";
import { History } from "./History";
import { Waiting } from "./Waiting";
import { stateWords } from "./words";

const noRows: Difference[] = [];

const tabs = ["differences", "history", "due", "shows", "link"] as const;

const tabWords: Record<(typeof tabs)[number], string> = {
  differences: "What would change",
  history: "What was sent",
  due: "What is due",
  shows: "What it shows",
  link: "Connection",
};

/** A channel's differences row by row, what was decided about the blocked ones, and the sending. */
export function ChannelSheet({ channel }: { channel: string }) {
  const { data, error, refetch } = useDifferences(channel);
  const { data: past } = usePublications(channel);
  const client = useQueryClient();
  const [decisions, setDecisions] = useState<Map<string, Decision>>(new Map());
  const may = useMay("manager");
  const mayOverride = useMay("approver");
  const { data: rules } = useRules();
  const [rule, setRule] = useState("");
  const [category, setCategory] = useState("");
  const all = data?.rows ?? noRows;
  const made = useMemo(() => [...new Set(all.flatMap((r) => r.rules))], [all]);
  const categories = useMemo(() => [...new Set(all.flatMap((r) => pathsOf(r.category)))].sort(), [all]);
  // What is sent: of a rule, of a category, and not left out. The rest stays due.
  const among = all.filter(
    (r) =>
      (rule === "" || r.rules.includes(rule)) &&
      (category === "" || r.category === category || r.category.startsWith(category + "/")),
  );
  const chosen = among.filter((r) => !r.held && !decisions.get(r.sku)?.leaveOut);
  const { params, set } = useViewpoint();
  const tab = tabs.find((t) => t === params.get("tab")) ?? "differences";
  const setTab = (t: string) => set({ tab: t === "differences" ? "" : t });
  const { data: drifts } = useDrifts(channel);
  const drifting = drifts?.drifts.filter((d) => !d.accepted).length ?? 0;
  const release = useRelease(channel);
  const [blockedOnly, setBlockedOnly] = useState(false);
  const [sent, setSent] = useState(0);
  const newest = past?.publications.find((p) => p.state === "sending" || p.state === "queued");
  const waiting = past?.publications.find((p) => p.state === "waiting");
  const running = usePublication(sent || (newest?.id ?? 0));
  const send = useMutation({
    mutationFn: () => {
      const overrides: Record<string, string> = {};
      for (const { sku } of chosen) {
        const reason = decisions.get(sku)?.reason.trim();
        if (reason) overrides[sku] = reason;
      }
      const only = chosen.length < (data?.rows.length ?? 0) ? { only: chosen.map((r) => r.sku) } : {};
      return publish(channel, { version: data?.version ?? 0, overrides, ...only });
    },
    onSuccess: (p) => setSent(p.id),
    onError: () => void refresh(client),
  });
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const open = chosen.filter((r) => r.blocked.length > 0 && (decisions.get(r.sku)?.reason.trim() ?? "") === "");
  const sending = running.data?.state === "sending" || running.data?.state === "queued";
  const shown = blockedOnly ? among.filter((r) => r.blocked.length > 0) : among;
  const decide = (sku: string, d: Decision) => setDecisions((old) => new Map(old).set(sku, d));
  const chooseAll = (all: boolean) =>
    setDecisions((old) => {
      const next = new Map(old);
      for (const { sku } of shown) next.set(sku, { reason: next.get(sku)?.reason ?? "", leaveOut: !all });
      return next;
    });
  const why = !may
    ? "You may look, not send."
    : !data.connected
      ? `Nothing says how the ${data.name} is reached.`
      : open.length > 0
        ? `${count(open.length)} blocked: ${mayOverride ? "give a reason or leave out" : "leave out, or ask an approver"}`
        : "";
  return (
    <Tabs.Root asChild value={tab} onValueChange={setTab}>
      <section aria-label={`Differences of ${data.name}`} className="flex h-full flex-col">
        <div className="flex shrink-0 items-center gap-3 border-b px-5 py-2">
          <Tabs.List className="flex" aria-label="Of this channel">
            {tabs.map((t) => (
              <Tabs.Trigger
                key={t}
                value={t}
                className="px-2.5 py-0.5 hover:bg-wash data-[state=active]:bg-ink data-[state=active]:text-paper"
              >
                {t === "differences"
                  ? `What would change ${count(data.rows.length)}`
                  : t === "shows" && drifting > 0
                    ? `${tabWords[t]} ${count(drifting)}`
                    : tabWords[t]}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          {tab === "differences" && data.blocked > 0 && (
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-ink"
                checked={blockedOnly}
                onChange={(e) => setBlockedOnly(e.target.checked)}
              />{" "}
              blocked only
            </label>
          )}
          {tab === "differences" && all.length > 0 && (
            <>
              <Narrow
                label="Send what a rule makes"
                all="of every rule"
                value={rule}
                options={made.map((code) => [
                  code,
                  `of ${rules?.find((r) => r.rule.code === code)?.rule.name ?? code}`,
                ])}
                onChange={setRule}
              />
              <Narrow
                label="Send a category"
                all="in every category"
                value={category}
                options={categories.map((c) => [c, c.split("/").join(" › ")])}
                onChange={setCategory}
              />
            </>
          )}
          <span className="ml-auto" />
          {send.error && (
            <span role="alert" className="font-medium text-bad">
              {send.error instanceof Problem && send.error.status === 409 ? send.error.message : errorText(send.error)}
            </span>
          )}
          {running.data && <Progress p={running.data} onSettled={() => void refresh(client)} />}
          {why !== "" && (
            <span className={open.length > 0 ? "text-bad" : "text-quiet"} data-testid="undecided">
              {why}
              {may && !data.connected && (
                <button
                  type="button"
                  className="ml-1 text-ink underline underline-offset-2"
                  onClick={() => setTab("link")}
                >
                  Connect it
                </button>
              )}
            </span>
          )}
          <Button
            look="ink"
            disabled={sending || send.isPending || why !== "" || (chosen.length === 0 && data.rules === 0)}
            onClick={() => send.mutate()}
          >
            {all.length === 0 && data.rules === 0
              ? "Nothing to send"
              : chosen.length === all.length
                ? `Send ${count(all.length)} ${all.length === 1 ? "price" : "prices"} to the ${data.name}`
                : `Send ${count(chosen.length)} of ${count(all.length)} prices to the ${data.name}`}
          </Button>
        </div>
        {waiting && (
          <Waiting publication={waiting} onLook={() => set({ tab: "history", publication: String(waiting.id) })} />
        )}
        <Tabs.Content value="history" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          <History channel={channel} />
        </Tabs.Content>
        <Tabs.Content value="due" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          <Due channel={channel} name={data.name} />
        </Tabs.Content>
        <Tabs.Content value="shows" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          <Drifts channel={channel} name={data.name} />
        </Tabs.Content>
        <Tabs.Content value="link" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          <Connection channel={channel} name={data.name} />
        </Tabs.Content>
        <Tabs.Content value="differences" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          {data.rows.length === 0 ? (
            <Empty title={`The ${data.name} shows the saved prices`}>
              {count(data.same)} products agree. What you save from now on shows here until it is sent.
            </Empty>
          ) : (
            <Rows
              rows={shown}
              decisions={decisions}
              mayOverride={mayOverride}
              onDecide={decide}
              onAll={may ? chooseAll : undefined}
              onRelease={(sku) => release.mutate([sku])}
            />
          )}
        </Tabs.Content>
      </section>
    </Tabs.Root>
  );
}

/** Narrows what is sent to one of some. */
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

/** A category and those that it lies in. */
function pathsOf(category: string): string[] {
  const parts = category === "" ? [] : category.split("/");
  return parts.map((_, i) => parts.slice(0, i + 1).join("/"));
}

function Rows({
  rows,
  decisions,
  mayOverride,
  onDecide,
  onAll,
  onRelease,
}: {
  rows: Difference[];
  decisions: Map<string, Decision>;
  mayOverride: boolean;
  onDecide: (sku: string, d: Decision) => void;
  /** Takes all rows in or leaves all out; absent where nothing can be sent. */
  onAll: ((all: boolean) => void) | undefined;
  onRelease: (sku: string) => void;
}) {
  const left = rows.filter((r) => decisions.get(r.sku)?.leaveOut).length;
  const scroller = useRef<HTMLDivElement>(null);
  useOneTabStop(scroller, "[data-sku]");
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 40,
    overscan: 12,
  });
  return (
    <>
      <div className="flex shrink-0 gap-4 border-b border-ink/50 py-1 pr-[38px] pl-5 text-[12px] text-quiet">
        {onAll && (
          <input
            type="checkbox"
            className="accent-ink"
            aria-label="Send all of these"
            checked={left === 0}
            ref={(box) => {
              if (box) box.indeterminate = left > 0 && left < rows.length;
            }}
            onChange={(e) => onAll(e.target.checked)}
          />
        )}
        <span className="min-w-0 flex-1">Product</span>
        <span className="w-20 text-right">shows</span>
        <span className="w-20 text-right">would show</span>
        <span className="w-20 text-right">change</span>
        <span className="w-24 text-right">reduced from</span>
        <span className="w-20 text-right">margin</span>
        <span className="w-[330px]">blocked</span>
      </div>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-y-scroll bg-sheet"
        role="region"
        tabIndex={0}
        aria-label="Rows that would change"
      >
        <div style={{ height: list.getTotalSize(), position: "relative" }}>
          {list.getVirtualItems().map((item) => {
            const row = rows[item.index];
            return row ? (
              <DifferenceLine
                key={row.sku}
                row={row}
                top={item.start}
                decision={decisions.get(row.sku)}
                mayChoose={onAll !== undefined}
                mayOverride={mayOverride}
                onDecide={(d) => onDecide(row.sku, d)}
                onRelease={() => onRelease(row.sku)}
              />
            ) : null;
          })}
        </div>
      </div>
    </>
  );
}

const endWords: Record<string, string> = {
  waiting: "It waits for a second person",
  done: "The channel took every price",
  partly: "The channel did not take every price",
  failed: "The channel took nothing",
};

/** How far a sending is, then how it ended. */
function Progress({ p, onSettled }: { p: Publication; onSettled: () => void }) {
  const over = p.state !== "sending" && p.state !== "queued";
  const answered = p.taken + p.refused + p.unanswered;
  useEffect(() => {
    if (over) onSettled();
    // Once per sending: what it changed is asked anew when it has ended.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [p.id, over]);
  if (!over)
    return (
      <span className="flex items-center gap-2" aria-live="polite">
        <progress max={p.lines} value={answered} className="h-2 w-40 accent-ink" aria-label="Prices answered" />
        {count(answered)} of {count(p.lines)}
      </span>
    );
  return (
    <span
      role="status"
      data-testid="send-result"
      className={
        p.state === "done" ? "font-medium text-good" : p.state === "waiting" ? "font-medium" : "font-medium text-bad"
      }
    >
      {endWords[p.state] ?? stateWords[p.state]}
      {p.refused > 0 && `: ${count(p.refused)} of ${count(p.lines)} refused, see What was sent`}
      {p.problem && `. ${p.problem}`}
    </span>
  );
}
