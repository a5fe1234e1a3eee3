import { useState } from "react";
import { Link } from "react-router";
import type { Flag, FlagEntry, Schema } from "../../api/client";
import { useFlagHistory } from "../../api/flags";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { addressOf, boardAt, linesText, questionParams, whoAsks } from "../../lib/address";
import { amount, count, moment } from "../../lib/format";
import { useWhoNames } from "../../lib/names";
import { useViewpoint } from "../../lib/viewpoint";
import { WhyNot } from "../../parts/rule/WhyNot";
import { Button } from "../../ui/button";
import { Fixes } from "./Fixes";
import { FlagSentence } from "./FlagSentence";
import { LiveWith } from "./LiveWith";

const shownChannels = 3;

/** Which version of the book a list of flags is of, and whether a newer one is being looked at. */
export type Looked = Pick<Schema["FlagList"], "version" | "searching">;

/** One flag: what is wrong, where it shows, and what can be done about it. */
export function FlagLine({ entry, looked }: { entry: FlagEntry; looked: Looked }) {
  const { params } = useViewpoint();
  const { data: state } = useProgramState();
  const who = useWhoNames();
  const may = useMay("manager");
  const [open, setOpen] = useState<"" | "fixes" | "live-with" | "why-not" | "history">("");
  const [all, setAll] = useState(false);
  // What was mended is gone at once; should it still be there once the new book was looked at, it stands here again.
  const [mendedAt, setMendedAt] = useState<number | null>(null);
  const toggle = (part: typeof open) => () => setOpen((old) => (old === part ? "" : part));
  const channel = (code: string | undefined) => state?.channels.find((c) => c.code === code)?.name;
  const shown = all ? entry.flags : entry.flags.slice(0, shownChannels);
  if (mendedAt !== null && (looked.searching || looked.version <= mendedAt)) return null;
  return (
    <li className="border-b py-2.5" data-flag={entry.kind} data-sku={entry.sku} data-subject={entry.subject}>
      <div className="flex items-baseline gap-4">
        <div className="min-w-0 flex-1">
          <FlagSentence entry={entry} />
        </div>
        {entry.week && (
          <span className="shrink-0 text-right text-[13px] whitespace-nowrap text-bad">
            {amount(entry.week)} a week
          </span>
        )}
      </div>
      <p className="mt-0.5 flex flex-wrap gap-x-4 text-quiet">
        {shown.map((f) => (
          <span key={f.channel ?? ""}>
            {[
              channel(f.channel ?? f.witness.channel),
              whoAsks(f.witness) && who(whoAsks(f.witness)),
              moment(f.witness.at, state?.now),
            ]
              .filter(Boolean)
              .join(", ")}
            {(f.witness.quantity ?? 1) > 1 && `, ${count(f.witness.quantity ?? 1)} pieces`}{" "}
            <Link className="font-medium text-ink underline underline-offset-2" to={witnessAddress(f, params)}>
              Show me
            </Link>
          </span>
        ))}
        {entry.flags.length > shown.length && (
          <button type="button" className="underline underline-offset-2" onClick={() => setAll(true)}>
            and {count(entry.flags.length - shown.length)} more{" "}
            {entry.flags.length - shown.length === 1 ? "channel" : "channels"}
          </button>
        )}
      </p>
      {entry.acknowledged && (
        <p className="mt-0.5 text-[13px] text-quiet">
          {entry.acknowledged.who} lives with it until {moment(entry.acknowledged.until.slice(0, 16), state?.now)}: “
          {entry.acknowledged.reason}”
        </p>
      )}
      <p className="mt-0.5 -ml-1.5 flex flex-wrap gap-1">
        <Button look="bare" aria-expanded={open === "fixes"} onClick={toggle("fixes")}>
          Mend it
        </Button>
        {entry.kind === "never-wins" && (
          <Button look="bare" onClick={toggle("why-not")}>
            Why not?
          </Button>
        )}
        {may &&
          (entry.acknowledged ? (
            <LiveWith.Back subject={entry.subject} />
          ) : (
            <Button look="bare" aria-expanded={open === "live-with"} onClick={toggle("live-with")}>
              Live with it
            </Button>
          ))}
        <Button look="bare" aria-expanded={open === "history"} onClick={toggle("history")}>
          Since when?
        </Button>
      </p>
      {open === "fixes" && <Fixes entry={entry} onMended={() => setMendedAt(looked.version)} />}
      {open === "live-with" && <LiveWith what={{ subject: entry.subject }} onDone={() => setOpen("")} />}
      {open === "history" && <History subject={entry.subject} />}
      {open === "why-not" && entry.rule && <WhyNot code={entry.rule} onClose={() => setOpen("")} />}
    </li>
  );
}

/** Where the question that shows a flag is asked: a price on the board, goods in the basket, a rule in the stack. */
function witnessAddress(f: Flag, params: URLSearchParams): string {
  if (f.basket) {
    const query = questionParams(f.witness);
    query.set("lines", linesText(f.basket.lines));
    if (f.basket.codes) query.set("codes", f.basket.codes.join(","));
    return `/basket?${query.toString()}`;
  }
  if (f.witness.sku) return boardAt(f.witness);
  return f.rule
    ? addressOf(`/stack/rule/${encodeURIComponent(f.rule)}`, params)
    : addressOf("/stack", params, { rule: f.rules?.[0] ?? "" });
}

/** When a flag came and went, and by which edits. */
function History({ subject }: { subject: string }) {
  const { data } = useFlagHistory(subject, true);
  const { data: state } = useProgramState();
  if (!data) return null;
  const at = (text: string | undefined) => moment((text ?? "").slice(0, 16), state?.now);
  return (
    <ul className="mt-1 border-l-2 pl-3 text-[14px]" data-testid="flag-history">
      {data.spells.length === 0 && <li className="text-quiet">It was there when the book was first looked at.</li>}
      {data.spells.map((s, i) => (
        <li key={i}>
          {s.raisedAt ? (
            <>
              Raised {at(s.raisedAt)}
              {s.raisedBy && <span className="text-quiet"> by {s.raisedBy}</span>}
            </>
          ) : (
            "Raised before the book was first looked at"
          )}
          {s.clearedAt && (
            <>
              , cleared {at(s.clearedAt)}
              {s.clearedBy && <span className="text-quiet"> by {s.clearedBy}</span>}
            </>
          )}
          .
        </li>
      ))}
    </ul>
  );
}
