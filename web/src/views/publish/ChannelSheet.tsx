import { useEffect, useState } from "react";
import { publish, useDifferences, usePublication, usePublications, useRelease } from "../../api/publications";
import { refresh } from "../../api/saving";
import { Problem, type Difference, type Publication } from "../../api/client";
import { count, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { Failed } from "../../ui/states";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useViewpoint } from "../../lib/viewpoint";
import { useDrifts, useLinks, usePlanned } from "../../api/links";
import { useMay } from "../../api/session";
import { chosen, type ChangeFilter, type Decision } from "./changes";
import { Changes } from "./Changes";
import { Connection } from "./Connection";
import { Drifts } from "./Drifts";
import { Due } from "./Due";
import { Fetched } from "./Fetched";
import { History } from "./History";
import { Later } from "./Later";
import { Waiting } from "./Waiting";
import { prices, stateWords } from "./words";

const nothing = { total: 0, blocked: 0, held: 0 };

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
  const { params, set } = useViewpoint();
  const filter: ChangeFilter = {
    kind: params.get("change") ?? "",
    rule: params.get("made") ?? "",
    category: params.get("within") ?? "",
    q: params.get("find") ?? "",
  };
  const { data, error, refetch, isPlaceholderData: narrowing } = useDifferences(channel, filter);
  const { data: past } = usePublications(channel);
  const client = useQueryClient();
  const [decisions, setDecisions] = useState<ReadonlyMap<string, Decision>>(new Map());
  const [all, setAll] = useState(true);
  const may = useMay("manager");
  const mayOverride = useMay("approver");
  const tab = tabs.find((t) => t === params.get("tab")) ?? "differences";
  const setTab = (t: string) => set({ tab: t === "differences" ? "" : t });
  const { data: drifts } = useDrifts(channel);
  const drifting = drifts?.drifts.filter((d) => !d.accepted).length ?? 0;
  const release = useRelease(channel);
  const [sent, setSent] = useState(0);
  const newest = past?.publications.find((p) => p.state === "sending" || p.state === "queued");
  const waiting = past?.publications.find((p) => p.state === "waiting");
  const running = usePublication(sent || (newest?.id ?? 0));
  const goes = chosen(data?.of ?? nothing, all, decisions.values(), filter);
  const narrowed = filter.kind + filter.rule + filter.category + filter.q.trim() !== "";
  const { data: links } = useLinks();
  const itself = links?.find((l) => l.channel === channel)?.sends === "on-the-minute";
  const { data: planned } = usePlanned(channel, itself || data?.total === 0);
  const alone = goes.count === 0 && data?.rules === 0 && all && !narrowed;
  const send = useMutation({
    mutationFn: () => {
      const { overrides, out, only } = goes;
      return publish(channel, {
        version: data?.version ?? 0,
        overrides,
        ...(all && narrowed && { of: filter }),
        ...(all && out.length > 0 && { leaveOut: out }),
        ...(!all && { only }),
      });
    },
    onSuccess: (p) => setSent(p.id),
    onError: () => void refresh(client),
  });
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const sending = running.data?.state === "sending" || running.data?.state === "queued";
  const decide = (row: Difference, d: { reason: string; leaveOut: boolean }) =>
    setDecisions((old) =>
      new Map(old).set(row.sku, { row, reason: d.reason, out: d.leaveOut === !all ? undefined : d.leaveOut }),
    );
  const chooseAll = (every: boolean) => {
    setAll(every);
    setDecisions((old) => new Map([...old].map(([sku, d]) => [sku, { ...d, out: undefined }])));
  };
  const narrow = (change: Partial<ChangeFilter>) => {
    if (!all) chooseAll(true); // what was left out of one narrowing is not left out of the next
    const next = { ...filter, ...change };
    set({ change: next.kind, made: next.rule, within: next.category, find: next.q });
  };
  const why = !may
    ? "You may look, not send."
    : !data.connected
      ? `Nothing says how the ${data.name} is reached.`
      : goes.undecided > 0
        ? `${count(goes.undecided)} blocked: ${mayOverride ? "give a reason or leave out" : "leave out, or ask an approver"}`
        : "";
  return (
    <Tabs.Root asChild value={tab} onValueChange={setTab}>
      <section aria-label={`Differences of ${data.name}`} className="@container flex h-full flex-col">
        <div className="flex shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b px-5 py-2">
          <Tabs.List className="flex" aria-label="Of this channel">
            {tabs.map((t) => (
              <Tabs.Trigger
                key={t}
                value={t}
                className="px-2.5 py-0.5 whitespace-nowrap hover:bg-wash data-[state=active]:bg-ink data-[state=active]:text-paper"
              >
                {t === "differences"
                  ? `What would change ${count(data.total)}`
                  : t === "shows" && drifting > 0
                    ? `${tabWords[t]} ${count(drifting)}`
                    : tabWords[t]}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <span className="ml-auto" />
          {send.error && (
            <span role="alert" className="font-medium text-bad">
              {send.error instanceof Problem && send.error.status === 409 ? send.error.message : errorText(send.error)}
            </span>
          )}
          {running.data && <Progress p={running.data} onSettled={() => void refresh(client)} />}
          {why !== "" && (
            <span className={goes.undecided > 0 ? "text-bad" : "text-quiet"} data-testid="undecided">
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
            disabled={
              narrowing ||
              sending ||
              send.isPending ||
              why !== "" ||
              (goes.count === 0 && data.rules === 0 && !(alone && planned))
            }
            onClick={() => send.mutate()}
          >
            {alone && planned
              ? `Publish what comes later to the ${data.name}`
              : data.total === 0 && data.rules === 0
                ? "Nothing to send"
                : goes.count === data.total
                  ? `Send ${count(data.total)} ${data.total === 1 ? "price" : "prices"} to the ${data.name}`
                  : `Send ${count(goes.count)} of ${count(data.total)} prices to the ${data.name}`}
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
          <div className="min-h-0 flex-1 overflow-y-auto">
            <Connection channel={channel} name={data.name} />
            <Fetched channel={channel} />
          </div>
        </Tabs.Content>
        <Tabs.Content value="differences" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          {planned && <Later planned={planned} alone={alone} />}
          <Changes
            channel={channel}
            data={data}
            filter={filter}
            onFilter={narrow}
            decisions={decisions}
            all={all}
            mayOverride={mayOverride}
            onDecide={decide}
            onAll={may ? chooseAll : undefined}
            onRelease={(sku) => release.mutate([sku])}
          />
        </Tabs.Content>
      </section>
    </Tabs.Root>
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
      {p.state === "done" && p.planned
        ? `Published: ${prices(p.planned)} will change by themselves`
        : (endWords[p.state] ?? stateWords[p.state])}
      {p.refused > 0 && `: ${count(p.refused)} of ${count(p.lines)} refused, see What was sent`}
      {p.problem && `. ${p.problem}`}
    </span>
  );
}
