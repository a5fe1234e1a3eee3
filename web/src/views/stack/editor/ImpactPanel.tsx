import { useElsewhere } from "../../../api/impact";
import { useRules } from "../../../api/rules";
import { useProgramState } from "../../../api/state";
import type { Demand, Histogram, Impact, Rule } from "../../../api/client";
import { amount, count, errorText, moment, signed } from "../../../lib/format";
import { useWhoNames } from "../../../lib/names";
import { useViewpoint } from "../../../lib/viewpoint";
import { assumedWords, reasonWords } from "../../../lib/sentence";
import { BrokenChecks } from "../../../ui/broken-checks";
import { Demands } from "./Demands";
import { Tip } from "../../../ui/tip";
import { FlagChanges } from "../../../parts/flags/FlagChanges";
import { Unfixed } from "../../../parts/rule/Unfixed";

interface Props {
  impact: Impact | undefined;
  error: unknown;
  stale: boolean;
  blocked: boolean;
  rule: Rule;
  replaces: string;
  /** Takes a value that a channel would accept. */
  onTake: (demand: Demand, value: string) => void;
}

const shapedWords: Record<string, string> = { "max-off": "limit", floor: "floor", ending: "ending", zero: "held at 0" };

/** What the unsaved rule would do: products reached, prices changed, the margin, the biggest movers. */
export function ImpactPanel({ impact, error, stale, blocked, rule, replaces, onTake }: Props) {
  const { data: state } = useProgramState();
  const channel = state?.channels.find((c) => c.code === impact?.channel)?.name;
  const { viewpoint } = useViewpoint();
  const names = useWhoNames();
  const who = impact?.who ? names(impact.who) : "";
  const broken = !impact || impact.errors.length > 0;
  const { data: elsewhere } = useElsewhere(viewpoint, rule, replaces, !broken && !blocked);
  const others = broken ? [] : (elsewhere?.others ?? []);
  return (
    <aside
      aria-label="Impact"
      className="w-[430px] shrink-0 overflow-y-auto border-l bg-sheet px-5 py-4 max-[1100px]:w-[350px]"
    >
      <h2 className="text-[16px]">What it would do</h2>
      {error ? (
        <p role="alert" className="mt-2 text-bad">
          {errorText(error)}
        </p>
      ) : broken ? (
        <p className="mt-2 text-quiet">
          Once the sentence is complete, its effect on the whole catalogue stands here, before anything is saved.
        </p>
      ) : (
        <div className={stale || blocked ? "opacity-60" : ""}>
          <p className="text-quiet">
            {channel ? `At the ${channel}` : "Without a channel"}
            {who ? ` for ${who}` : ""}
            {impact.as && `, ${assumedWords({ ...impact.as, attrs: Object.entries(impact.as.attrs ?? {}) })}`}
            {impact.quantity > 1 ? `, ${count(impact.quantity)} pieces` : ""}, {moment(impact.at, state?.now)}
            {impact.shifted && !impact.never && ", when it is open"}
          </p>
          {impact.unfixed.length > 0 && <Unfixed obstacles={impact.unfixed} />}
          {impact.never && <p className="mt-1 font-medium text-bad">It is open at no moment from now on.</p>}
          <div className="mt-3 grid grid-cols-3 gap-x-4">
            <Figure
              n={impact.reach}
              name={impact.reach === 1 ? "product reached" : "products reached"}
              test="reach"
              bad={impact.reach === 0}
            />
            <Figure n={impact.moved} name="prices change" test="changed" />
            <Figure n={impact.below} name="below cost here" test="below" bad={impact.below > 0} />
          </div>
          <p className="mt-2 text-quiet">
            {impact.moved > 0 && `${count(impact.down)} down, ${count(impact.up)} up. `}
            {impact.applies < impact.reach &&
              impact.reach > 0 &&
              `It makes the price of ${count(impact.applies)}; of the rest another rule does, or a floor, or they have none. `}
            {impact.marginBefore &&
              impact.marginAfter &&
              `Mean margin ${impact.marginBefore} % → ${impact.marginAfter} %.`}
          </p>
          {(others.length > 0 || (elsewhere?.unseen ?? 0) > 0) && (
            <div className="mt-1" data-testid="elsewhere">
              <span className="text-quiet">Elsewhere: </span>
              {others.slice(0, 8).map((o, i) => (
                <span key={o.channel + o.who}>
                  {i > 0 && ", "}
                  <b className="font-semibold">
                    {o.who
                      ? names(o.who)
                      : `the ${state?.channels.find((c) => c.code === o.channel)?.name ?? o.channel}`}
                  </b>{" "}
                  {[o.up > 0 && `${count(o.up)} up`, o.down > 0 && `${count(o.down)} down`].filter(Boolean).join(", ")}
                </span>
              ))}
              {others.length > 8 && ` and ${count(others.length - 8)} more`}.
              {elsewhere && elsewhere.unseen > 0 && (
                <span className="text-quiet">
                  {" "}
                  {count(elsewhere.unseen)} further customers with terms of their own were not looked at.
                </span>
              )}
            </div>
          )}
          <FlagChanges rule={rule} replaces={replaces} ask={!blocked} />
          {(impact.newBelow > 0 || impact.cleared > 0) && (
            <p className="mt-1">
              {impact.newBelow > 0 && (
                <b className="text-bad">
                  {impact.newBelow === 1 ? "1 product comes" : `${count(impact.newBelow)} products come`} to lie below
                  cost.{" "}
                </b>
              )}
              {impact.cleared > 0 && (
                <b className="text-good">
                  {count(impact.cleared)} no longer {impact.cleared === 1 ? "lies" : "lie"} below cost.
                </b>
              )}
            </p>
          )}
          {impact.reach > 0 && (
            <p className="mt-1 text-quiet">
              {impact.sample.slice(0, 4).join("; ")}
              {impact.reach > 4 ? " …" : ""}
            </p>
          )}
          {impact.example && <ExampleLine impact={impact} />}
          <BrokenChecks checks={impact.checks} />
          <Demands demands={impact.demands} rule={rule} replaces={replaces} onTake={onTake} />
          {impact.moved > 0 && <ChangeBars h={impact.changes} />}
          {impact.movers.length > 0 && (
            <>
              <h3 className="mt-4 border-b pb-1">Biggest changes</h3>
              <table className="w-full">
                <tbody>
                  {impact.movers.map((m) => (
                    <tr key={m.sku} className="border-b border-dotted">
                      <td className="max-w-[170px] truncate py-1 pr-2" title={`${m.name} ${m.sku}`}>
                        {m.name || m.sku}
                      </td>
                      <td className="pr-2 text-right text-quiet">{amount(m.before)}</td>
                      <td className="pr-2 text-right font-medium">{amount(m.after)}</td>
                      <td className="text-right">{m.change ? signed(m.change) : ""}</td>
                      <td className={`pl-2 text-right ${m.below ? "font-semibold text-bad" : "text-quiet"}`}>
                        {m.margin ? `${amount(m.margin)} %` : ""}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          {impact.moved === 0 && (
            <p className="mt-3 text-quiet">
              {others.length > 0
                ? `For ${who || (viewpoint.who ? names(viewpoint.who) : "everyone")} no price would differ.`
                : "No price would differ from those of the saved book at this moment."}
            </p>
          )}
        </div>
      )}
    </aside>
  );
}

const Figure = ({ n, name, test, bad }: { n: number; name: string; test: string; bad?: boolean }) => (
  <div>
    <div className={`text-[24px] leading-7 font-semibold ${bad ? "text-bad" : ""}`} data-testid={test}>
      {count(n)}
    </div>
    <div className="text-[12px] text-quiet">{name}</div>
  </div>
);

/** One real product followed through the rule, figure by figure. */
function ExampleLine({ impact }: { impact: Impact }) {
  const e = impact.example;
  const { data: rules } = useRules();
  const ruleName = (code?: string) => rules?.find((r) => r.rule.code === code)?.rule.name ?? code;
  if (!e) return null;
  return (
    <div className="mt-3 rounded-[4px] bg-wash px-3 py-2" data-testid="example">
      <p className="truncate text-[12px] text-quiet" title={e.name}>
        For example {e.name || e.sku}
      </p>
      {e.missed ? (
        <p>
          Here the rule {reasonWords(e.missed, { ...e, by: ruleName(e.by) })}.
          {e.final && ` The price stays ${amount(e.final)}.`}
        </p>
      ) : (
        <p className="text-[15px]">
          {amount(e.before)} → {amount(e.raw)}
          {e.shaped.map((s) => `, ${shapedWords[s] ?? s}`)}
          {e.shaped.length > 0 && ` ${amount(e.after)}`}
          {e.final && (
            <>
              {" "}
              → <b>{amount(e.final)}</b>
            </>
          )}
        </p>
      )}
      {e.pieces !== undefined && e.each && (
        <p>
          for {count(e.pieces)} of {count(impact.quantity)} pieces, {amount(e.each)} a piece over all of them
        </p>
      )}
      {e.margin && e.marginAmount && (
        <p className={e.marginAmount.startsWith("-") ? "font-medium text-bad" : "text-quiet"}>
          cost {amount(e.cost)}, margin {amount(e.marginAmount)}, {amount(e.margin)} %
        </p>
      )}
      {(e.stock !== null || e.sold !== null) && (
        <p className="text-[13px] text-quiet">
          {[e.stock !== null && `${amount(e.stock)} in stock`, e.sold !== null && `${amount(e.sold)} sold in 30 days`]
            .filter(Boolean)
            .join(", ")}
        </p>
      )}
    </div>
  );
}

/** How the changed prices change, in percent of what they were. */
function ChangeBars({ h }: { h: Histogram }) {
  const most = Math.max(1, ...h.counts);
  const label = h.counts
    .map((n, i) => (n > 0 ? `${count(n)} by ${h.from + i * h.width} to ${h.from + (i + 1) * h.width} %` : ""))
    .filter(Boolean)
    .join(", ");
  return (
    <figure className="mt-3" aria-label={`Changes in percent: ${label}`}>
      <div className="flex h-9 items-end gap-px" aria-hidden>
        {h.counts.map((n, i) => (
          <Tip key={i} text={`${h.from + i * h.width} to ${h.from + (i + 1) * h.width} %: ${count(n)}`}>
            <span
              className={`block flex-1 ${n === 0 ? "bg-line" : h.from + i * h.width < 0 ? "bg-sale" : "bg-ink/70"}`}
              style={{ height: n === 0 ? 1 : Math.max(3, (n / most) * 36) }}
            />
          </Tip>
        ))}
      </div>
      <figcaption className="flex text-[11px] text-quiet">
        <span>{h.from} %</span>
        <span className="mx-auto">change in percent{h.mean !== null && `, mean ${h.mean} %`}</span>
        <span>{h.from + h.counts.length * h.width} %</span>
      </figcaption>
    </figure>
  );
}
