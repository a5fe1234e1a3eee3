import { useState } from "react";
import type { Publication } from "../../api/client";
import { useAnswers, usePublications, usePublicationStep } from "../../api/publications";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { amount, count, errorText, moment } from "../../lib/format";
import { useViewpoint } from "../../lib/viewpoint";
import { Button } from "../../ui/button";
import { Empty } from "../../ui/states";
import { lineCounts, stateWords } from "../../lib/publications";
import { kindWords } from "./words";
import { Brings } from "./Waiting";
import { Worth } from "./Worth";

const colour = (p: Publication) =>
  p.state === "done"
    ? "text-good"
    : p.state === "partly" || p.state === "failed"
      ? "font-medium text-bad"
      : "text-quiet";

/** What was sent to a channel, newest first; each opens to what became of its lines. */
export function History({ channel }: { channel: string }) {
  const { data: state } = useProgramState();
  const { data } = usePublications(channel);
  const { params, set } = useViewpoint();
  const open = Number(params.get("publication") ?? 0);
  if (data?.publications.length === 0) return <Empty title="Nothing has been sent to this channel yet" />;
  const chosen = data?.publications.find((p) => p.id === open);
  return (
    <div className="flex min-h-0 flex-1">
      <ul className="w-[380px] shrink-0 overflow-y-auto border-r">
        {data?.publications.map((p) => (
          <li key={p.id} className="border-b">
            <button
              type="button"
              aria-expanded={open === p.id}
              onClick={() => set({ publication: String(p.id) })}
              className={`w-full px-5 py-2 text-left ${open === p.id ? "bg-wash" : "hover:bg-wash/60"}`}
            >
              <span className="flex gap-3">
                <span className="font-medium">{moment(p.ended ?? p.prepared, state?.now)}</span>
                <span className={`ml-auto ${colour(p)}`}>{stateWords[p.state]}</span>
              </span>
              <span className="text-quiet">
                {lineCounts(p)} · {kindWords[p.kind]}
                {p.of ? ` ${p.of}` : ""} · no. {p.id} · by {p.who}
              </span>
              {p.worth && p.state !== "dropped" && <Worth worth={p.worth} />}
              {p.problem && <span className="block text-bad">{p.problem}</span>}
              {p.reason && (
                <span className="block">
                  {p.decidedBy}: “{p.reason}”
                </span>
              )}
            </button>
          </li>
        ))}
      </ul>
      <div className="min-w-0 flex-1 overflow-y-auto bg-sheet">
        {chosen ? (
          <Answers key={chosen.id} publication={chosen} />
        ) : (
          <Empty title="Choose a publication">What became of each of its prices is kept.</Empty>
        )}
      </div>
    </div>
  );
}

/** What may still be done about a publication that has ended. */
function Steps({ publication: p }: { publication: Publication }) {
  const step = usePublicationStep();
  const may = useMay("manager");
  const [sure, setSure] = useState(false);
  if (!may || !["done", "partly", "failed"].includes(p.state)) return null;
  return (
    <div className="flex items-center gap-3 border-b px-5 py-2">
      {p.state !== "done" && (
        <Button disabled={step.isPending} onClick={() => step.mutate({ what: "rest", id: p.id })}>
          Send the rest again
        </Button>
      )}
      {sure ? (
        <>
          <span>
            The channel shows again what it showed before it. What it brought is held back until you tick it again or
            change it.
          </span>
          <Button
            look="ink"
            disabled={step.isPending}
            onClick={() => step.mutate({ what: "take-back", id: p.id }, { onSettled: () => setSure(false) })}
          >
            Take it back
          </Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
        </>
      ) : (
        <Button onClick={() => setSure(true)}>Take it back …</Button>
      )}
      {step.error && (
        <span role="alert" className="font-medium text-bad">
          {errorText(step.error)}
        </span>
      )}
    </div>
  );
}

const answerWords: Record<string, string> = {
  "left-out": "left out",
  held: "held back",
  unanswered: "no answer",
};

function Answers({ publication: p }: { publication: Publication }) {
  const { data } = useAnswers(p.id, p.state);
  const { data: state } = useProgramState();
  const rows = data ?? [];
  const shown = [...rows.filter((r) => r.answer !== "taken"), ...rows.filter((r) => r.answer === "taken")].slice(
    0,
    500,
  );
  return (
    <>
      <Steps publication={p} />
      <div className="border-b px-5 py-1.5 empty:hidden">
        {p.note && (
          <p>
            {p.who}: “{p.note}”
          </p>
        )}
        <Brings publication={p} now={state?.now} />
      </div>
      <table className="w-full">
        <thead className="text-left text-[12px] text-quiet">
          <tr>
            <th className="py-1 pl-5 font-normal">Product</th>
            <th className="w-24 text-right font-normal">was</th>
            <th className="w-24 text-right font-normal">price</th>
            <th className="w-[320px] pl-6 font-normal">the channel's answer</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((r) => (
            <tr key={r.sku} className="border-t">
              <td className="py-1 pl-5">
                {r.name || r.sku} <span className="text-quiet">{r.sku}</span>
              </td>
              <td className="text-right">{amount(r.was)}</td>
              <td className="text-right font-medium">{r.kind === "gone" ? "taken off" : amount(r.price)}</td>
              <td className="pl-6">
                <span
                  className={
                    r.answer === "taken"
                      ? "text-good"
                      : r.answer === "refused" || r.answer === "unanswered"
                        ? "font-medium text-bad"
                        : "text-quiet"
                  }
                >
                  {r.answer ? (answerWords[r.answer] ?? r.answer) : "not sent yet"}
                </span>{" "}
                {r.message}
                {r.override && <span className="text-quiet"> · sent although it is blocked: {r.override}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > shown.length && (
        <p className="px-5 py-2 text-quiet">
          The first {count(shown.length)} of {count(rows.length)}; those not taken come first.
        </p>
      )}
    </>
  );
}
