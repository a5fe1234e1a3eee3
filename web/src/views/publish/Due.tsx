import { useState } from "react";
import type { Schema } from "../../api/client";
import { useDue, useLinks, useTurn, type TurnForm } from "../../api/links";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { count, errorText, moment } from "../../lib/format";
import { prices, stateWords } from "../../lib/publications";
import { Confirm } from "../../ui/confirm";
import { Empty } from "../../ui/states";

type Cause = Schema["DueCause"];
type Turned = Schema["TurnAnswer"];

/** What begins or ends by itself in a channel, moment by moment, and what may be done about it before. */
export function Due({ channel, name }: { channel: string; name: string }) {
  const { data: state } = useProgramState();
  const { data } = useDue(channel);
  const { data: links } = useLinks();
  const may = useMay("manager");
  const turn = useTurn();
  const [asked, setAsked] = useState<{ cause: Cause; form: TurnForm }>();
  if (!data) return null;
  const itself = links?.find((l) => l.channel === channel)?.sends === "on-the-minute";
  return (
    <div className="mx-auto w-full max-w-[860px] overflow-y-auto px-5 py-3">
      {turn.data && <Told turned={turn.data} />}
      {turn.error && (
        <p role="alert" className="mb-2 font-medium text-bad">
          {errorText(turn.error)}
        </p>
      )}
      {data.length === 0 ? (
        <Empty title="Nothing changes by itself">In the next three months no rule begins or ends here.</Empty>
      ) : (
        <>
          <p className="text-quiet">
            {itself
              ? `The ${name} is told on the minute, as the book was published last.`
              : `The ${name} is told by hand: at these moments it falls behind until somebody sends.`}
          </p>
          <table className="mt-2 w-full">
            <thead className="border-b border-ink/50 text-left text-[12px] text-quiet">
              <tr>
                <th className="py-1 font-normal">When</th>
                <th className="font-normal">What begins or ends</th>
                <th className="w-32 text-right font-normal">prices that change</th>
                <th className="w-40 text-right font-normal">of them with changes not sent</th>
              </tr>
            </thead>
            <tbody>
              {data.map((d) => (
                <tr key={d.at} className="border-b align-top" data-due={d.at}>
                  <td className="w-44 py-1.5 whitespace-nowrap">{moment(d.at, state?.now)}</td>
                  <td className="py-1.5">
                    {d.causes.length === 0 && <span className="text-quiet">a product whose price sets others</span>}
                    {d.causes.map((c) => (
                      <div key={c.kind + c.code} className="flex flex-wrap items-baseline gap-x-2">
                        <span className="min-w-0">
                          {c.name}{" "}
                          <span className="text-quiet">
                            {c.kind === "campaigns" && "campaign "}
                            {c.opens ? "begins" : "ends"}
                            {c.rules > 0 && `, with ${c.rules === 1 ? "its rule" : `${count(c.rules)} of its rules`}`}
                          </span>
                        </span>
                        {may &&
                          c.turns.map((t) => (
                            <button
                              key={t}
                              type="button"
                              className="shrink-0 text-quiet underline underline-offset-2 hover:text-ink"
                              aria-label={`${turnWords(t, c)}: ${c.name}, ${moment(d.at, state?.now)}`}
                              onClick={() =>
                                setAsked({
                                  cause: c,
                                  form: { kind: c.kind, code: c.code, turn: t as TurnForm["turn"], at: d.at },
                                })
                              }
                            >
                              {turnWords(t, c)}
                            </button>
                          ))}
                      </div>
                    ))}
                  </td>
                  <td className="py-1.5 text-right font-medium">{count(d.lines)}</td>
                  <td className="py-1.5 text-right text-quiet">{d.unpublished > 0 ? count(d.unpublished) : "–"}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {asked && (
        <Confirm
          title={`${turnWords(asked.form.turn, asked.cause)}: ${asked.cause.name}?`}
          yes={turnWords(asked.form.turn, asked.cause)}
          no="Leave it as it is"
          onAnswer={(yes) => {
            if (yes) turn.mutate(asked.form);
            setAsked(undefined);
          }}
        >
          <p>{whatHappens(asked.form, asked.cause, moment(asked.form.at, state?.now))}</p>
          {asked.cause.along.length > 0 && (
            <p className="mt-1 font-medium text-ink">
              It was changed otherwise, too, and that was not sent yet in {asked.cause.along.join(", ")}: it goes along.
            </p>
          )}
          <p className="mt-1">
            This is saved, and can be undone. It alone is sent to every connected channel at once, with the prices that
            it moves; whatever else is saved but not sent stays with the next publication by hand.
          </p>
        </Confirm>
      )}
    </div>
  );
}

/** What a turn is called. */
function turnWords(turn: string, cause: Cause): string {
  if (turn === "start") return "Start now";
  if (turn === "end") return "End now";
  return cause.opens ? "Skip this time" : "Skip the rest of it";
}

function whatHappens(form: TurnForm, cause: Cause, at: string): string {
  if (form.turn === "start") return `It begins now, instead of ${at}.`;
  if (form.turn === "end") return `It ends now for good, instead of ${at}.`;
  if (cause.opens) return `It does not begin on ${at}. If it has a later time, it begins then; else it is turned off.`;
  return `It ends now, instead of ${at}, and begins again the next time.`;
}

/** What became of a turn, channel by channel. */
const Told = ({ turned }: { turned: Turned }) => (
  <div role="status" className="mb-3 border-l-2 border-ink bg-wash px-3 py-2">
    <p className="font-medium">{turned.summary}.</p>
    {turned.sent.length === 0 && <p className="text-quiet">No connected channel shows anything else for it.</p>}
    {turned.sent.map((s) => (
      <p key={s.channel} data-told={s.channel}>
        {s.name}:{" "}
        {s.publication ? (
          <>
            {prices(s.publication.lines)}, {stateWords[s.publication.state]}
            {s.publication.leftOut > 0 && (
              <span className="text-quiet">
                {" "}
                · {count(s.publication.leftOut)} others wait for a publication by hand, and the clock leaves them alone
              </span>
            )}
          </>
        ) : (
          <span className="text-bad">not told: {s.problem}</span>
        )}
      </p>
    ))}
  </div>
);
