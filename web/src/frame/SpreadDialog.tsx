import { useState } from "react";
import { useLinks } from "../api/links";
import type { PieceRow, Publication, RolloutRow } from "../api/client";
import { usePublication, useRollout, useRollOut } from "../api/publications";
import { useMay } from "../api/session";
import { useProgramState } from "../api/state";
import { count, counted, errorText, moment } from "../lib/format";
import { lineCounts, prices, stateWords } from "../lib/publications";
import { Button } from "../ui/button";
import { SheetDialog } from "../ui/sheet-dialog";
import { Failed } from "../ui/states";
import type { Spread } from "../ui/toasts";

/** Whether a channel wants a second person: "none", "always", or over some percent. */
type Approval = string | { overPercent: string } | undefined;

/** What an edit or a piece changes in every channel that it concerns: one look, and one press that sends it. */
export function SpreadDialog({ what, onClose }: { what: Spread; onClose: () => void }) {
  const { data, error, refetch } = useRollout(what);
  const { data: links } = useLinks();
  const may = useMay("manager");
  const send = useRollOut(what);
  const [off, setOff] = useState<ReadonlySet<string>>(new Set());
  const [note, setNote] = useState("");
  // What was looked at stays as it was once it is sent.
  const [looked, setLooked] = useState<RolloutRow[]>();
  const rows = looked ?? data?.channels;
  const ready = (rows ?? []).filter((r) => r.problem === undefined);
  const going = ready.filter((r) => !off.has(r.channel));
  const approval = (r: RolloutRow) => links?.find((l) => l.channel === r.channel)?.approval as Approval;
  const asks = going.some((r) => (approval(r) ?? "none") !== "none");
  const done = send.data;
  return (
    <SheetDialog title="Send it everywhere" width={760} onClose={onClose}>
      {error && <Failed error={error} retry={() => void refetch()} />}
      {rows?.length === 0 && (
        <p className="mt-2 text-quiet">
          Every connected channel that it concerns has it as it is saved: there is nothing to send.
        </p>
      )}
      {rows && rows.length > 0 && (
        <>
          <p className="mt-1 text-quiet">{piecesText(rows)}. Nothing else goes along.</p>
          <table className="mt-3 w-full">
            <thead className="border-b border-ink/50 text-left text-[12px] text-quiet">
              <tr>
                <th className="w-6" />
                <th className="w-44 py-1 font-normal">Channel</th>
                <th className="font-normal">{done ? "What became of it" : "What goes"}</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.channel} className="border-b align-top" data-spread={r.channel}>
                  <td className="py-1.5">
                    {!done && r.problem === undefined && (
                      <input
                        type="checkbox"
                        className="accent-ink"
                        aria-label={`Send to ${r.name}`}
                        checked={!off.has(r.channel)}
                        onChange={(e) => {
                          const next = new Set(off);
                          if (e.target.checked) next.delete(r.channel);
                          else next.add(r.channel);
                          setOff(next);
                        }}
                      />
                    )}
                  </td>
                  <td className="py-1.5 font-medium">{r.name}</td>
                  <td className="py-1.5">
                    {done ? (
                      <Became row={done.find((d) => d.channel === r.channel)} />
                    ) : (
                      <Goes row={r} approval={approval(r)} />
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {!done && asks && (
            <label className="mt-3 block">
              <span className="text-[12px] text-quiet">Note to whoever agrees</span>
              <input
                className="field block w-full"
                maxLength={500}
                value={note}
                onChange={(e) => setNote(e.target.value)}
              />
            </label>
          )}
        </>
      )}
      {send.error && (
        <p role="alert" className="mt-3 font-medium text-bad">
          {errorText(send.error)}
        </p>
      )}
      <div className="mt-4 flex gap-2">
        {rows && rows.length > 0 && !done && (
          <Button
            look="ink"
            disabled={!may || going.length === 0 || send.isPending}
            onClick={() => {
              setLooked(rows);
              send.mutate(
                { version: data?.version ?? 0, channels: going.map((r) => r.channel), note },
                { onError: () => (setLooked(undefined), void refetch()) },
              );
            }}
          >
            {going.length === 1 ? `Send to ${going[0]?.name ?? ""}` : `Send to ${count(going.length)} channels`}
          </Button>
        )}
        <Button onClick={onClose}>{done || rows?.length === 0 ? "Close" : "Not now"}</Button>
        {!may && <span className="self-center text-quiet">You may look, not send.</span>}
      </div>
    </SheetDialog>
  );
}

/** What of the book goes, over all channels. */
function piecesText(rows: RolloutRow[]): string {
  const names = new Map(rows.flatMap((r) => r.pieces.map((p) => [p.piece, p] as const)));
  const goods = [...names.values()].filter((p) => p.piece.startsWith("product "));
  const others = [...names.values()].filter((p) => !p.piece.startsWith("product "));
  const words = others.slice(0, 4).map((p: PieceRow) => `${p.name} (${p.change})`);
  if (others.length > 4) words.push(`${count(others.length - 4)} more`);
  if (goods.length === 1) words.push(goods[0]?.name ?? "");
  if (goods.length > 1) words.push(counted(goods.length, "product"));
  return words.length > 0 ? words.join(", ") : "What was changed";
}

function Goes({ row: r, approval }: { row: RolloutRow; approval: Approval }) {
  const { data: state } = useProgramState();
  if (r.problem !== undefined)
    return (
      <span className="text-quiet">
        {r.problem}{" "}
        <a className="underline underline-offset-2" href={`/publish?channel=${encodeURIComponent(r.channel)}`}>
          Publish
        </a>
      </span>
    );
  const later = new Map<string, number>();
  for (const p of r.pieces) for (const l of p.later) later.set(l.at, Math.max(later.get(l.at) ?? 0, l.lines));
  const moments = [...later].sort(([a], [b]) => a.localeCompare(b));
  const deals = r.pieces.filter((p) => p.lines === 0 && p.later.length === 0).length;
  const facts = [
    r.lines > 0 ? `${prices(r.lines)} now` : "",
    ...moments.slice(0, 2).map(([at, n]) => `${count(n)} from ${moment(at, state?.now)}`),
    moments.length > 2 ? "and again later" : "",
    deals > 0 ? `${count(deals)} ${deals === 1 ? "change" : "changes"} without a price, such as a deal` : "",
  ].filter((f) => f !== "");
  const out = r.blocked + r.stopped.length;
  const then = new Set(r.pieces.flatMap((p) => p.later.flatMap((l) => (l.stopped ?? []).map((s) => s.sku)))).size;
  return (
    <>
      {facts.length > 0 ? facts.join(" · ") : "no price is another one for it"}
      {out > 0 && (
        <span className="block font-medium text-bad">
          {count(out)} blocked: left out.{" "}
          <a
            className="font-normal underline underline-offset-2"
            href={`/publish?channel=${encodeURIComponent(r.channel)}`}
          >
            Look at them in Publish
          </a>
        </span>
      )}
      {then > 0 && <span className="block text-bad">{count(then)} of the later ones blocked: left out then</span>}
      {approval === "always" && <span className="block text-quiet">a second person agrees first</span>}
      {typeof approval === "object" && (
        <span className="block text-quiet">
          a second person agrees first where it moves a price by more than {approval.overPercent} %, or is a deal
        </span>
      )}
    </>
  );
}

function Became({ row }: { row: RolloutRow | undefined }) {
  const { data: now } = usePublication(row?.publication?.id ?? 0);
  if (!row) return <span className="text-quiet">not sent</span>;
  if (row.problem !== undefined) return <span className="font-medium text-bad">not sent: {row.problem}</span>;
  const p = now ?? row.publication;
  if (!p) return <span className="text-quiet">nothing to send</span>;
  const bad = p.state === "failed" || p.state === "partly";
  return (
    <>
      {lineCounts(p)}: <span className={bad ? "font-medium text-bad" : ""}>{p.problem ?? endOf(p)}</span>
    </>
  );
}

/** What became of it; of one without a line nothing was to be taken. */
const endOf = (p: Publication) => (p.state === "done" && p.lines === 0 ? "published" : stateWords[p.state]);
