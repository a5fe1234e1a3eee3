import { useState } from "react";
import type { Publication } from "../../api/client";
import { useAnswers, usePublicationStep } from "../../api/publications";
import { useMay, useSession } from "../../api/session";
import { useProgramState } from "../../api/state";
import { count, errorText, moment } from "../../lib/format";
import { Button } from "../../ui/button";
import { lineCounts, prices } from "../../lib/publications";
import { Worth } from "./Worth";

/** A publication that waits for a second person: what it brings, as its sender saw it, and what that person may do. */
export function Waiting({ publication: p, onLook }: { publication: Publication; onLook: () => void }) {
  const step = usePublicationStep();
  const may = useMay("approver");
  const { data: session } = useSession();
  const { data: state } = useProgramState();
  const [reason, setReason] = useState("");
  const own = session?.name === p.who;
  return (
    <section
      aria-label="Waits for a second person"
      className="flex max-h-[45%] shrink-0 flex-col gap-2 overflow-y-auto border-b bg-wash px-5 py-2"
    >
      <div className="flex flex-wrap items-center gap-3">
        <p>
          <span className="font-medium">
            {p.who} wants to send {lineCounts(p)}
          </span>
          {p.sent && <>, asked {moment(p.sent, state?.now)}</>}.{" "}
          <button type="button" className="underline underline-offset-2" onClick={onLook}>
            Each price
          </button>
        </p>
        {p.worth && <Worth worth={p.worth} />}
        {step.error && (
          <span role="alert" className="font-medium text-bad">
            {errorText(step.error)}
          </span>
        )}
        <span className="ml-auto" />
        {own ? (
          <>
            <span className="text-quiet">Somebody else has to agree to it.</span>
            <Button disabled={step.isPending} onClick={() => step.mutate({ what: "withdraw", id: p.id })}>
              Withdraw it
            </Button>
          </>
        ) : !may ? (
          <span className="text-quiet">It waits for somebody who may approve it.</span>
        ) : (
          <>
            <input
              className="field w-64"
              aria-label="A note, or why you refuse it"
              placeholder="a note, or why you refuse it"
              maxLength={500}
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
            <Button
              disabled={step.isPending || reason.trim() === ""}
              onClick={() => step.mutate({ what: "refuse", id: p.id, reason })}
            >
              Refuse
            </Button>
            <Button
              look="ink"
              disabled={step.isPending}
              onClick={() => step.mutate({ what: "approve", id: p.id, note: reason })}
            >
              Approve and send
            </Button>
          </>
        )}
      </div>
      {p.note && (
        <p>
          {p.who}: “{p.note}”
        </p>
      )}
      <Brings publication={p} now={state?.now} />
      <Overridden publication={p} />
      <PlannedLines publication={p} now={state?.now} />
    </section>
  );
}

/** What a publication brings, piece by piece, with the prices that come of each, now and later. */
export function Brings({ publication: p, now }: { publication: Publication; now: string | undefined }) {
  if (p.brings === "book") return <p>It is the first one to this channel: the whole book goes.</p>;
  if (p.brings === "none") return <p>Nothing is published in this channel any more after it.</p>;
  if (!p.pieces?.length) return null;
  return (
    <ul aria-label="What it brings" className="flex flex-col gap-0.5">
      {p.pieces.map((one) => (
        <li key={one.piece || one.name} data-brings={one.piece}>
          <span className="font-medium">{one.name}</span>{" "}
          <span className="text-quiet">
            {[
              one.piece === `rule ${one.name}` || one.piece === "" ? "" : one.piece,
              one.change,
              one.lines ? `${prices(one.lines)} now` : "no price now",
              ...(one.later ?? [])
                .slice(0, 3)
                .map(
                  (l) =>
                    `${count(l.lines)} from ${moment(l.at, now)}${l.blocked ? `, ${count(l.blocked)} of them blocked` : ""}`,
                ),
              (one.later ?? []).length > 3 ? "and again later" : "",
            ]
              .filter((t) => t !== "")
              .join(" · ")}
          </span>
          {p.overrides?.[one.piece] && (
            <span className="text-bad"> · blocked, sent because: {p.overrides[one.piece]}</span>
          )}
        </li>
      ))}
    </ul>
  );
}

/** What was decided of prices that differ later. */
export function PlannedLines({ publication: p, now }: { publication: Publication; now: string | undefined }) {
  const goes = (p.planned ?? []).filter((l) => l.override);
  const out = (p.planned ?? []).filter((l) => !l.override);
  const named = (list: typeof goes) =>
    list
      .slice(0, 5)
      .map((l) => `${l.name || l.sku}${l.override ? ` (“${l.override}”)` : ""}, through ${moment(l.until, now)}`)
      .join("; ") + (list.length > 5 ? ` and ${count(list.length - 5)} more` : "");
  return (
    <>
      {goes.length > 0 && <p className="text-bad">Blocked later, and sent all the same then: {named(goes)}</p>}
      {out.length > 0 && <p className="text-quiet">Left out later, too: {named(out)}</p>}
    </>
  );
}

/** Prices that are blocked and are to go all the same, each with its reason. */
function Overridden({ publication: p }: { publication: Publication }) {
  const { data } = useAnswers(p.id, p.state);
  const rows = (data ?? []).filter((r) => r.override);
  if (rows.length === 0) return null;
  return (
    <p className="text-bad">
      Blocked, and to be sent all the same:{" "}
      {rows
        .slice(0, 5)
        .map((r) => `${r.name || r.sku} at ${r.price ?? "–"} (“${r.override ?? ""}”)`)
        .join(", ")}
      {rows.length > 5 && ` and ${count(rows.length - 5)} more`}
    </p>
  );
}
