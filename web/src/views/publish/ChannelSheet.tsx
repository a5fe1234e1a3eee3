import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { publish, useDifferences, usePublication, usePublications } from "../../api/publications";
import { refresh } from "../../api/saving";
import { Problem, type Difference } from "../../api/client";
import { count, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { Empty, Failed } from "../../ui/states";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { DifferenceLine, type Decision } from "./DifferenceLine";
import { History } from "./History";

/** A channel's differences row by row, what was decided about the blocked ones, and the sending. */
export function ChannelSheet({ channel }: { channel: string }) {
  const { data, error, refetch } = useDifferences(channel);
  const { data: past } = usePublications(channel);
  const client = useQueryClient();
  const [decisions, setDecisions] = useState<Map<string, Decision>>(new Map());
  const [tab, setTab] = useState<"differences" | "history">("differences");
  const [blockedOnly, setBlockedOnly] = useState(false);
  const [sent, setSent] = useState(0);
  const running = usePublication(sent || (past?.publications[0]?.status === "sending" ? past.publications[0].id : 0));
  const send = useMutation({
    mutationFn: () => {
      const overrides: Record<string, string> = {};
      const leaveOut: string[] = [];
      for (const [sku, d] of decisions) {
        if (d.leaveOut) leaveOut.push(sku);
        else if (d.reason.trim()) overrides[sku] = d.reason.trim();
      }
      return publish(channel, { version: data?.version ?? 0, overrides, leaveOut });
    },
    onSuccess: (p) => setSent(p.id),
    onError: () => void refresh(client),
  });
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const decided = (r: Difference) => {
    const d = decisions.get(r.sku);
    return !r.blocked || d?.leaveOut || (d?.reason.trim() ?? "") !== "";
  };
  const open = data.rows.filter((r) => !decided(r));
  const left = data.rows.filter((r) => decisions.get(r.sku)?.leaveOut).length;
  const sending = running.data?.status === "sending";
  const rows = blockedOnly ? data.rows.filter((r) => r.blocked) : data.rows;
  return (
    <Tabs.Root
      asChild
      value={tab}
      onValueChange={(t) => {
        setTab(t === "history" ? "history" : "differences");
      }}
    >
      <section aria-label={`Differences of ${data.name}`} className="flex h-full flex-col">
        <div className="flex shrink-0 items-center gap-3 border-b px-5 py-2">
          <Tabs.List className="flex" aria-label="Of this channel">
            {(["differences", "history"] as const).map((t) => (
              <Tabs.Trigger
                key={t}
                value={t}
                className="px-2.5 py-0.5 hover:bg-wash data-[state=active]:bg-ink data-[state=active]:text-paper"
              >
                {t === "differences" ? `What would change ${count(data.rows.length)}` : "What was sent"}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          {tab === "differences" && data.rows.some((r) => r.blocked) && (
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
          <span className="ml-auto" />
          {send.error && (
            <span role="alert" className="font-medium text-bad">
              {send.error instanceof Problem && send.error.status === 409 ? send.error.message : errorText(send.error)}
            </span>
          )}
          {running.data && <Progress p={running.data} onSettled={() => void refresh(client)} />}
          {open.length > 0 && (
            <span className="text-bad" data-testid="undecided">
              {count(open.length)} below cost: give a reason or leave out
            </span>
          )}
          <Button
            look="ink"
            disabled={sending || send.isPending || open.length > 0 || data.rows.length === left}
            onClick={() => send.mutate()}
          >
            {data.rows.length === 0
              ? "Nothing to send"
              : `Send ${count(data.rows.length - left)} prices to the ${data.name}`}
          </Button>
        </div>
        <Tabs.Content value="history" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          <History channel={channel} />
        </Tabs.Content>
        <Tabs.Content value="differences" className="flex min-h-0 flex-1 flex-col data-[state=inactive]:hidden">
          {data.rows.length === 0 ? (
            <Empty title={`The ${data.name} shows the saved prices`}>
              {count(data.same)} products agree. What you save from now on shows here until it is sent.
            </Empty>
          ) : (
            <Rows
              rows={rows}
              decisions={decisions}
              onDecide={(sku, d) => setDecisions((old) => new Map(old).set(sku, d))}
            />
          )}
        </Tabs.Content>
      </section>
    </Tabs.Root>
  );
}

function Rows({
  rows,
  decisions,
  onDecide,
}: {
  rows: Difference[];
  decisions: Map<string, Decision>;
  onDecide: (sku: string, d: Decision) => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 40,
    overscan: 12,
  });
  return (
    <>
      <div className="flex shrink-0 gap-4 border-b border-ink/50 py-1 pr-[38px] pl-5 text-[12px] text-quiet">
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
                onDecide={(d) => onDecide(row.sku, d)}
              />
            ) : null;
          })}
        </div>
      </div>
    </>
  );
}

const statusWords: Record<string, string> = {
  done: "The channel took every price",
  partly: "The channel did not take every price",
  failed: "Nothing reached the channel",
  "broken-off": "The sending broke off",
};

/** How far a sending is, then how it ended. */
function Progress({
  p,
  onSettled,
}: {
  p: { id: number; status: string; rows: number; answered: number; refused: number; problem?: string };
  onSettled: () => void;
}) {
  const over = p.status !== "sending";
  useEffect(() => {
    if (over) onSettled();
    // Once per sending: what it changed is asked anew when it has ended.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [p.id, over]);
  if (!over)
    return (
      <span className="flex items-center gap-2" aria-live="polite">
        <progress max={p.rows} value={p.answered} className="h-2 w-40 accent-ink" aria-label="Prices answered" />
        {count(p.answered)} of {count(p.rows)}
      </span>
    );
  return (
    <span
      role="status"
      data-testid="send-result"
      className={p.status === "done" ? "font-medium text-good" : "font-medium text-bad"}
    >
      {statusWords[p.status] ?? p.status}
      {p.refused > 0 && `: ${count(p.refused)} of ${count(p.rows)} refused, see What was sent`}
      {p.problem && `. ${p.problem}`}
    </span>
  );
}
