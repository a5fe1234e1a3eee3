import { useEffect, useState } from "react";
import {
  publish,
  useDifferences,
  usePublication,
  usePublications,
  usePublicationStep,
  useRelease,
  type DifferencesOf,
} from "../../api/publications";
import { useRules } from "../../api/rules";
import { refresh } from "../../api/saving";
import { Problem, type Difference, type PieceRow, type Publication } from "../../api/client";
import { count, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { Failed } from "../../ui/states";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useViewpoint } from "../../lib/viewpoint";
import { useDrifts, useLinks } from "../../api/links";
import { useMay } from "../../api/session";
import { Causes } from "./Causes";
import { chosen, type ChangeFilter, type Decision } from "./changes";
import { Changes } from "./Changes";
import { choiceQuery, chosenPieces, everything, isTicked, listed, whatGoes } from "./choice";
import { Connection } from "./Connection";
import { Drifts } from "./Drifts";
import { Due } from "./Due";
import { Fetched } from "./Fetched";
import { History } from "./History";
import { Waiting } from "./Waiting";
import { stateWords } from "../../lib/publications";
import { laterOf } from "./words";

const nothing = { going: 0, blocked: 0 };
const noPieces: PieceRow[] = [];

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
    reach: params.get("of") ?? "",
  };
  const [choice, setChoice] = useState(everything);
  const { data: whole } = useDifferences(channel);
  const pieces = whole?.pieces ?? noPieces;
  const only = chosenPieces(pieces, choice);
  const of: DifferencesOf = { ...filter, ...choiceQuery(choice, pieces) };
  const { data, error, refetch, isPlaceholderData: asking } = useDifferences(channel, of);
  const { data: past } = usePublications(channel);
  const client = useQueryClient();
  const [decisions, setDecisions] = useState<ReadonlyMap<string, Decision>>(new Map());
  const [all, setAll] = useState(true);
  const [leaveOutBlocked, setLeaveOutBlocked] = useState(false);
  const [reasons, setReasons] = useState<ReadonlyMap<string, string>>(new Map());
  const [note, setNote] = useState("");
  const { data: rules } = useRules();
  const may = useMay("manager");
  const mayOverride = useMay("approver");
  const tab = tabs.find((t) => t === params.get("tab")) ?? "differences";
  const setTab = (t: string) => set({ tab: t === "differences" ? "" : t });
  const { data: drifts } = useDrifts(channel);
  const drifting = drifts?.drifts.filter((d) => !d.accepted).length ?? 0;
  const release = useRelease(channel);
  const step = usePublicationStep();
  const [sent, setSent] = useState(0);
  const newest = past?.publications.find((p) => p.state === "sending" || p.state === "queued");
  const waiting = past?.publications.find((p) => p.state === "waiting");
  const running = usePublication(sent || (newest?.id ?? 0));
  const goes = chosen(data ?? nothing, all, decisions.values(), leaveOutBlocked);
  const { data: links } = useLinks();
  const link = links?.find((l) => l.channel === channel);
  const isStopped = (p: PieceRow) => p.blocked.length > 0 && !reasons.get(p.piece)?.trim();
  const tickedPieces = listed(pieces).filter((p) => isTicked(p, choice));
  const stopped = leaveOutBlocked ? 0 : tickedPieces.filter(isStopped).length;
  const sentPieces = tickedPieces.filter((p) => !leaveOutBlocked || !isStopped(p));
  const words = whatGoes(goes.count, sentPieces, new Map(rules?.map((r) => [r.rule.code, r.rule])));
  const send = useMutation({
    mutationFn: () => {
      const lines = all
        ? goes.without.length > 0
          ? { without: goes.without }
          : undefined
        : goes.only.length > 0
          ? { skus: goes.only }
          : undefined;
      // Where no piece is chosen, what differs without one has to be chosen in so many words.
      const loose = !choice.loose || only?.length === 0 ? { loose: choice.loose } : undefined;
      const overrides = { ...goes.overrides };
      for (const p of sentPieces) {
        const reason = reasons.get(p.piece)?.trim();
        if (p.blocked.length > 0 && reason) overrides[p.piece] = reason;
        const later = reasons.get(laterOf(p))?.trim();
        if (later)
          for (const l of p.later) for (const s of l.stopped ?? []) overrides[s.sku] = overrides[s.sku] ?? later;
      }
      return publish(
        channel,
        {
          version: data?.version ?? 0,
          overrides,
          ...(leaveOutBlocked
            ? { leaveOut: "blocked" as const }
            : goes.leaveOut.length > 0 && { leaveOut: goes.leaveOut }),
          ...((lines ?? only ?? loose) && { only: { ...(only && { pieces: only }), ...lines, ...loose } }),
        },
        note,
      );
    },
    onSuccess: (p) => {
      setSent(p.id);
      setNote("");
      setChoice(everything);
      setDecisions(new Map());
      setReasons(new Map());
      setLeaveOutBlocked(false);
    },
    onError: () => void refresh(client),
  });
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const sending = running.data?.state === "sending" || running.data?.state === "queued";
  const decide = (row: Difference, d: { reason: string; goes: boolean; leaveOut: boolean }) =>
    setDecisions((old) =>
      new Map(old).set(row.sku, {
        row,
        reason: d.reason,
        goes: d.goes === all ? undefined : d.goes,
        leaveOut: d.leaveOut || undefined,
      }),
    );
  const chooseAll = (every: boolean) => {
    setAll(every);
    setDecisions((old) => new Map([...old].map(([sku, d]) => [sku, { ...d, goes: undefined, leaveOut: undefined }])));
  };
  const narrow = (change: Partial<ChangeFilter>) => {
    const next = { ...filter, ...change };
    set({ change: next.kind, made: next.rule, within: next.category, find: next.q, of: next.reach });
  };
  const undecided = goes.undecided + stopped;
  const why = !may
    ? "You may look, not send."
    : !data.connected
      ? `Nothing says how the ${data.name} is reached.`
      : undecided > 0
        ? `${count(undecided)} blocked: ${mayOverride ? "give a reason or leave out" : "leave out, or ask an approver"}`
        : "";
  // Where prices are chosen one by one, something has to be: an empty choice is one of nothing.
  const empty = words === "" || (only?.length === 0 && !choice.loose) || (!all && goes.only.length === 0);
  const asks = link !== undefined && link.approval !== "none";
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
                  ? `What would change ${count(whole?.total ?? data.total)}`
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
          {may && undecided > 0 && all && (
            <Button onClick={() => setLeaveOutBlocked(true)}>Leave out all {count(undecided)} blocked</Button>
          )}
          {leaveOutBlocked && (
            <Button look="bare" onClick={() => setLeaveOutBlocked(false)}>
              Decide one by one
            </Button>
          )}
          {sending && may && (
            <Button disabled={step.isPending} onClick={() => step.mutate({ what: "stop", id: running.data?.id ?? 0 })}>
              Stop sending
            </Button>
          )}
          {may && asks && !empty && tab === "differences" && (
            <input
              className="field w-48"
              aria-label="A note to whoever agrees"
              placeholder="a note to whoever agrees"
              maxLength={500}
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
          )}
          <Button
            look="ink"
            disabled={asking || sending || send.isPending || why !== "" || empty}
            onClick={() => send.mutate()}
          >
            {empty ? "Nothing to send" : `Send ${words} to the ${data.name}`}
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
          <div className="flex min-h-0 flex-1">
            {(pieces.length > 0 || data.loose > 0 || data.first) && (
              <Causes
                data={{ ...data, pieces }}
                choice={choice}
                onChoice={may ? setChoice : undefined}
                reach={filter.reach}
                onReach={(reach) => narrow({ reach })}
                reasons={reasons}
                onReason={(piece, reason) => setReasons((old) => new Map(old).set(piece, reason))}
                mayOverride={mayOverride}
              />
            )}
            <div className="@container flex min-w-0 flex-1 flex-col">
              <Changes
                channel={channel}
                data={{ ...data, pieces }}
                filter={filter}
                of={of}
                onFilter={narrow}
                decisions={decisions}
                all={all}
                leaveOutBlocked={leaveOutBlocked}
                mayOverride={mayOverride}
                onDecide={decide}
                onAll={may ? chooseAll : undefined}
                onRelease={(row) => release.mutate({ skus: [row.sku], leftOut: row.leftOut })}
              />
            </div>
          </div>
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
      {p.state === "done" && p.lines === 0
        ? "Published: no price changes now"
        : (endWords[p.state] ?? stateWords[p.state])}
      {p.refused > 0 && `: ${count(p.refused)} of ${count(p.lines)} refused, see What was sent`}
      {p.problem && `. ${p.problem}`}
    </span>
  );
}
