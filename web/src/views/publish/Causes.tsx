import type { Differences, PieceRow, Rule } from "../../api/client";
import { useRules } from "../../api/rules";
import { useProgramState } from "../../api/state";
import { count, moment } from "../../lib/format";
import { useNames } from "../../lib/names";
import { sentenceText } from "../../lib/sentence";
import { isTicked, listed, ticked, tickedAll, type Choice } from "./choice";
import { prices } from "../../lib/publications";
import { laterOf, laterStops, stopText } from "./words";

interface Props {
  data: Differences;
  choice: Choice;
  /** Absent where nothing can be sent. */
  onChoice: ((c: Choice) => void) | undefined;
  /** The piece whose prices alone are shown; "": all. */
  reach: string;
  onReach: (piece: string) => void;
  /** Why blocked deals are sent all the same, by piece. */
  reasons: ReadonlyMap<string, string>;
  onReason: (piece: string, reason: string) => void;
  mayOverride: boolean;
}

/** Of how many blocked prices at one moment the program tells. */
const mostTold = 199;

const kindWords: Record<string, string> = {
  rule: "rule",
  campaign: "campaign",
  ladder: "ladder of breaks",
  range: "range of goods",
  product: "product",
  channel: "this channel's settings",
  settings: "settings of the book",
  edit: "products",
};

/** What was changed since it was published here, piece by piece, each with what comes of it. */
export function Causes(props: Props) {
  const { data, choice, onChoice, reach, onReach } = props;
  const pieces = listed(data.pieces);
  const open = pieces.filter((p) => !p.held);
  const withLoose = data.loose > 0 && !data.first;
  const on = open.filter((p) => isTicked(p, choice)).length + (withLoose && choice.loose ? 1 : 0);
  const many = open.length + (withLoose ? 1 : 0);
  return (
    <section
      aria-label="What was changed"
      className="flex w-[330px] shrink-0 flex-col border-r @max-[1000px]:w-[210px]"
    >
      <h2 className="flex items-center gap-2 border-b border-ink/50 py-1 pr-3 pl-5 text-[12px] text-quiet">
        {onChoice && many > 0 && (
          <input
            type="checkbox"
            className="accent-ink"
            aria-label="Send all that was changed"
            checked={on === many}
            ref={(box) => {
              if (box) box.indeterminate = on > 0 && on < many;
            }}
            onChange={(e) => onChoice(tickedAll(data.pieces, e.target.checked))}
          />
        )}
        What was changed
        <span className="ml-auto">{count(open.length)}</span>
      </h2>
      <ul className="min-h-0 flex-1 overflow-y-auto">
        {data.first && (
          <li className="px-5 py-2 text-quiet">
            Nothing was published here yet: the first publication brings everything.
          </li>
        )}
        {pieces.map((p) => (
          <Cause key={p.piece} piece={p} {...props} />
        ))}
        {withLoose && (
          <li className={`flex gap-2 border-b py-1.5 pr-3 pl-5 ${reach === "none" ? "bg-wash" : ""}`}>
            {onChoice && (
              <input
                type="checkbox"
                className="mt-1.5 shrink-0 self-start accent-ink"
                aria-label="Send what differs without an edit"
                checked={choice.loose}
                onChange={(e) => onChoice({ ...choice, loose: e.target.checked })}
              />
            )}
            <button type="button" className="text-left" onClick={() => onReach(reach === "none" ? "" : "none")}>
              <span className="font-medium">No edit</span>
              <span className="block text-[12px] text-quiet">
                {prices(data.loose)} differ for another reason: something began or ended, stock or customers changed, or
                the channel did not take them before
              </span>
            </button>
          </li>
        )}
      </ul>
    </section>
  );
}

function Cause({
  piece: p,
  choice,
  onChoice,
  reach,
  onReach,
  reasons,
  onReason,
  mayOverride,
}: Props & { piece: PieceRow }) {
  const { data: state } = useProgramState();
  const { data: rules } = useRules();
  const names = useNames();
  const on = isTicked(p, choice);
  const laterStopped = new Set(p.later.flatMap((l) => (l.stopped ?? []).map((s) => s.sku))).size;
  const [kind = "", ...code] = p.piece.split(" ");
  const rule: Rule | undefined = kind === "rule" ? rules?.find((r) => r.rule.code === code.join(" "))?.rule : undefined;
  const facts = [
    p.held ? "taken back: goes only where it is ticked" : "",
    p.lines > 0 ? `${prices(p.lines)} now` : "",
    ...p.later.slice(0, 2).map((l) => `${count(l.lines)} from ${moment(l.at, state?.now)}`),
    p.later.length > 2 ? "and again later" : "",
    p.lines === 0 && p.later.length === 0 ? (rule?.offer ? "a deal in the basket" : "no price of this channel") : "",
    p.with.length > 0 ? `brings along ${p.with.join(", ")}` : "",
  ].filter((f) => f !== "");
  return (
    <li
      data-piece={p.piece}
      className={`flex gap-2 border-b py-1.5 pr-3 pl-5 ${reach === p.piece ? "bg-wash" : ""} ${on ? "" : "text-quiet"}`}
    >
      {onChoice && (
        <input
          type="checkbox"
          className="mt-1.5 shrink-0 self-start accent-ink"
          aria-label={`Send ${p.name}`}
          checked={on}
          onChange={(e) => onChoice(ticked(p, choice, e.target.checked))}
        />
      )}
      <div className="min-w-0 flex-1">
        <button
          type="button"
          aria-pressed={reach === p.piece}
          title="Show its prices alone"
          className="block w-full text-left"
          onClick={() => onReach(reach === p.piece ? "" : p.piece)}
        >
          <span className="flex gap-2">
            <span className="min-w-0 font-medium break-words">{p.name}</span>
            <span className="ml-auto shrink-0 text-[12px] text-quiet">{p.change}</span>
          </span>
          <span className="line-clamp-2 text-[12px] text-quiet">
            {rule
              ? sentenceText(rule, names, state?.now)
              : p.products
                ? `${count(p.products)} ${p.products === 1 ? "product" : "products"}, changed together`
                : (kindWords[kind] ?? kind)}
          </span>
          <span className="block text-[12px]">{facts.join(" · ")}</span>
        </button>
        {p.stopped > 0 && (
          <span className="block text-[12px] font-medium text-bad">{count(p.stopped)} of them blocked</span>
        )}
        {laterStopped > 0 && on && (
          <>
            <span className="block text-[12px] font-medium text-bad" title={laterStops(p).join("\n")}>
              {count(laterStopped)} of its later prices blocked: left out then
            </span>
            {laterStopped <= mostTold && (
              <input
                aria-label={`Reason for sending the later prices of ${p.name} although they are blocked`}
                placeholder={
                  mayOverride ? "send them all the same, because …" : "an approver may send them all the same"
                }
                className="field w-full disabled:opacity-50"
                maxLength={500}
                disabled={!mayOverride}
                value={reasons.get(laterOf(p)) ?? ""}
                onChange={(e) => onReason(laterOf(p), e.target.value)}
              />
            )}
          </>
        )}
        {p.blocked.length > 0 && on && (
          <>
            <span className="block text-[12px] font-medium text-bad">{p.blocked.map(stopText).join("; ")}</span>
            <input
              aria-label={`Reason for sending ${p.name} although it is blocked`}
              placeholder={mayOverride ? "send all the same, because …" : "untick it, or ask an approver"}
              className="field w-full disabled:opacity-50"
              maxLength={500}
              disabled={!mayOverride}
              value={reasons.get(p.piece) ?? ""}
              onChange={(e) => onReason(p.piece, e.target.value)}
            />
          </>
        )}
      </div>
    </li>
  );
}
