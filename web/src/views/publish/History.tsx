import { useState } from "react";
import { usePublication, usePublications } from "../../api/publications";
import { useProgramState } from "../../api/state";
import { amount, count, moment } from "../../lib/format";
import { Empty } from "../../ui/states";

const statusWords: Record<string, string> = {
  sending: "sending",
  done: "all taken",
  partly: "partly taken",
  failed: "failed",
  "broken-off": "broke off",
};

/** What was sent to a channel, newest first; each opens to the channel's answers row by row. */
export function History({ channel }: { channel: string }) {
  const { data: state } = useProgramState();
  const { data } = usePublications(channel);
  const [open, setOpen] = useState(0);
  if (data?.publications.length === 0) return <Empty title="Nothing has been sent to this channel yet" />;
  return (
    <div className="flex min-h-0 flex-1">
      <ul className="w-[380px] shrink-0 overflow-y-auto border-r">
        {data?.publications.map((p) => (
          <li key={p.id} className="border-b">
            <button
              type="button"
              aria-expanded={open === p.id}
              onClick={() => setOpen(p.id)}
              className={`w-full px-5 py-2 text-left ${open === p.id ? "bg-wash" : "hover:bg-wash/60"}`}
            >
              <span className="flex">
                <span className="font-medium">{moment(p.started, state?.now)}</span>
                <span
                  className={`ml-auto ${p.status === "done" ? "text-good" : p.status === "sending" ? "" : "font-medium text-bad"}`}
                >
                  {statusWords[p.status]}
                </span>
              </span>
              <span className="text-quiet">
                {count(p.rows)} prices{p.refused > 0 && `, ${count(p.refused)} refused`} · book {p.version} · by {p.who}
              </span>
              {p.problem && <span className="block text-bad">{p.problem}</span>}
            </button>
          </li>
        ))}
      </ul>
      <div className="min-w-0 flex-1 overflow-y-auto bg-sheet">
        {open > 0 ? (
          <Answers id={open} />
        ) : (
          <Empty title="Choose a sending">The channel's answer to each price is kept.</Empty>
        )}
      </div>
    </div>
  );
}

function Answers({ id }: { id: number }) {
  const { data } = usePublication(id);
  const rows = data?.answers ?? [];
  const shown = [...rows.filter((r) => r.answer !== "taken"), ...rows.filter((r) => r.answer === "taken")].slice(
    0,
    500,
  );
  return (
    <>
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
                <span className={r.answer === "taken" ? "text-good" : "font-medium text-bad"}>
                  {r.answer || "waiting"}
                </span>{" "}
                {r.message}
                {r.override && <span className="text-quiet"> · sent below cost: {r.override}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > shown.length && (
        <p className="px-5 py-2 text-quiet">
          The first {count(shown.length)} of {count(rows.length)}; rows not taken come first.
        </p>
      )}
    </>
  );
}
