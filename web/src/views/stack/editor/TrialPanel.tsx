import { useTrial } from "../../../api/impact";
import { useRules } from "../../../api/rules";
import { useSets } from "../../../api/storefront";
import { useProgramState } from "../../../api/state";
import type { Rule, Trial } from "../../../api/client";
import { amount, count, day, errorText, isZero, moment, through } from "../../../lib/format";
import { useWhoNames } from "../../../lib/names";
import { assumedWords, joined } from "../../../lib/sentence";
import { useViewpoint } from "../../../lib/viewpoint";
import { BrokenChecks } from "../../../ui/broken-checks";
import { FlagChanges } from "../../../parts/flags/FlagChanges";

interface Props {
  rule: Rule;
  replaces: string;
  blocked: boolean;
}

/** A tiny basket on real goods that shows the deal at work at each count. */
export function TrialPanel({ rule, replaces, blocked }: Props) {
  const { viewpoint } = useViewpoint();
  const { data: state } = useProgramState();
  const trial = useTrial(viewpoint, rule, replaces, !blocked);
  const names = useWhoNames();
  const t = trial.data;
  const channel = state?.channels.find((c) => c.code === t?.channel)?.name;
  return (
    <aside
      aria-label="Trial"
      // It scrolls and may hold nothing that takes the focus.
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
      tabIndex={0}
      className="w-[430px] shrink-0 overflow-y-auto border-l bg-sheet px-5 py-4 max-[1100px]:w-[350px]"
    >
      <h2 className="text-[16px]">How it works in a basket</h2>
      {trial.error ? (
        <p role="alert" className="mt-2 text-bad">
          {errorText(trial.error)}
        </p>
      ) : !t || t.errors.length > 0 ? (
        <p className="mt-2 text-quiet">
          Once the sentence is complete, a small basket of real goods shows here how the deal works, before anything is
          saved.
        </p>
      ) : (
        <div className={trial.stale || blocked ? "opacity-60" : ""}>
          <p className="text-quiet">
            {channel ? `At the ${channel}` : "Without a channel"}
            {t.who ? ` for ${names(t.who)}` : ""}
            {t.as && `, ${assumedWords({ ...t.as, attrs: Object.entries(t.as.attrs ?? {}) })}`},{" "}
            {moment(t.at, state?.now)}
            {t.shifted && !t.never && ", when it is open"}
          </p>
          {t.never && <p className="mt-1 font-medium text-bad">It is open at no moment from now on.</p>}
          <p className="mt-2">
            <b className={`text-[24px] ${t.reach === 0 ? "text-bad" : ""}`} data-testid="reach">
              {count(t.reach)}
            </b>{" "}
            <span className="text-quiet">{t.reach === 1 ? "product" : "products"} can take part</span>
          </p>
          {t.steps.length === 0 ? (
            <p className="mt-2 font-medium text-bad">
              {t.reach === 0
                ? "No goods can take part: nothing in the book is chosen by what it wants or gives."
                : "Some of the goods that it wants or gives have no price here, so it cannot be tried."}
            </p>
          ) : rule.order ? (
            <Orders steps={t.steps} />
          ) : (
            <Steps trial={t} code={rule.code} />
          )}
          {t.thinnest && <Thinnest set={t.thinnest} />}
          <Told trial={t} />
          {replaces !== "" && <AsSet code={replaces} />}
          <FlagChanges rule={rule} replaces={replaces} ask={!blocked} />
          <BrokenChecks checks={t.checks} />
        </div>
      )}
    </aside>
  );
}

/** The basket as it fills, a row for each piece that goes in. */
function Steps({ trial, code }: { trial: Trial; code: string }) {
  const { data: rules } = useRules();
  const name = (taken: string) => rules?.find((r) => r.rule.code === taken)?.rule.name ?? taken;
  const most = Math.max(1, ...trial.steps.map((s) => Number(s.apart)));
  return (
    <table className="mt-2 w-full text-[14px]" data-testid="trial" data-for={code}>
      <thead>
        <tr className="border-b text-left text-[12px] text-quiet">
          <th className="py-1 font-normal">One more of</th>
          <th className="text-right font-normal">apart</th>
          <th className="text-right font-normal">off</th>
          <th className="text-right font-normal">to pay</th>
        </tr>
      </thead>
      <tbody>
        {trial.steps.map((s, i) => {
          const fresh = s.applications > (trial.steps[i - 1]?.applications ?? 0);
          return (
            <tr key={i} className={`border-b border-dotted align-top ${fresh ? "bg-wash" : ""}`}>
              <td className="max-w-[176px] py-1 pr-2">
                <span className="block truncate" title={`${s.name} ${s.sku}`}>
                  {s.quantity > 1 && `${count(s.quantity)} × `}
                  {s.name}
                </span>
                <span className="block h-[5px] bg-promotion/25" style={{ width: `${(Number(s.apart) / most) * 100}%` }}>
                  <span
                    className="block h-full bg-promotion"
                    style={{ width: `${(Number(s.off) / Math.max(Number(s.apart), 0.01)) * 100}%` }}
                  />
                </span>
                {s.takenBy && (
                  <span className="block text-[12px] text-bad">
                    its goods are taken by {name(s.takenBy)}, which stands before it
                  </span>
                )}
                {!isZero(s.others) && !s.takenBy && (
                  <span className="block text-[12px] text-quiet">other offers take {amount(s.others)} off</span>
                )}
              </td>
              <td className="py-1 text-right text-quiet">{amount(s.apart)}</td>
              <td className={`py-1 pl-2 text-right ${isZero(s.off) ? "text-quiet" : "font-medium"}`}>
                {isZero(s.off) ? "–" : amount("-" + s.off)}
                {s.applications > 1 && <span className="block text-[12px] text-quiet">{s.applications} times</span>}
              </td>
              <td className="py-1 pl-2 text-right font-medium">{amount(s.total)}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** The saved offer as a set on a shop's page: where it stands, what is left of it, what it costs apart and together. */
function AsSet({ code }: { code: string }) {
  const { viewpoint } = useViewpoint();
  const { data: state } = useProgramState();
  const { data } = useSets(viewpoint, true);
  const place = data?.sets.findIndex((s) => s.rule === code) ?? -1;
  const set = data?.sets[place];
  if (!set) return null;
  return (
    <div className="mt-3" data-testid="as-set">
      <h3 className="border-b pb-1">On the shop&apos;s page now</h3>
      <p className="mt-1.5 font-semibold">{set.title}</p>
      {set.message && <p>{set.message}</p>}
      <p>
        {joined(
          set.goods.map((g) => `${count(g.quantity)} ${g.name}`),
          "and",
        )}
        : <b>{amount(set.together)}</b> instead of {amount(set.apart)}, saves {amount(set.saves)}
      </p>
      <p className="text-quiet">
        {[
          `number ${place + 1} of ${data?.sets.length ?? 0} sets`,
          set.left !== null && `${count(set.left)} left`,
          set.from && `since ${day(set.from, state?.now)}`,
          set.to && `through ${through(set.to, state?.now)}`,
        ]
          .filter(Boolean)
          .join(", ")}
      </p>
    </div>
  );
}

/** The mail that customers get after a purchase, filled in with real goods. */
function Told({ trial }: { trial: Trial }) {
  const { message, unknown } = trial;
  if (!message && unknown.length === 0) return null;
  return (
    <div className="mt-3" data-testid="message">
      <h3 className="border-b pb-1">What its customers are told</h3>
      {unknown.length > 0 && (
        <p role="alert" className="mt-1 font-medium text-bad">
          There is no {joined(unknown, "and no")}: a message may name {"{name}, {goods}, {rewarded} and {until}"}.
        </p>
      )}
      {message && (
        <div className="mt-1.5 rounded-[3px] border border-ink/25 px-3 py-2">
          <p className="font-semibold">{message.subject}</p>
          <p className="whitespace-pre-line">{message.text}</p>
        </div>
      )}
    </div>
  );
}

/** The quantities at which an order rule decides. */
const Orders = ({ steps }: { steps: Trial["steps"] }) => (
  <table className="mt-2 w-full text-[14px]" data-testid="trial">
    <tbody>
      {steps.map((s) => (
        <tr key={s.units} className="border-b border-dotted align-top">
          <td className="py-1 pr-3 whitespace-nowrap">
            {count(s.units)} <span className="text-quiet">of {s.name}</span>
          </td>
          <td className={`py-1 ${s.problem ? "text-bad" : "text-good"}`}>{s.problem || "can be ordered"}</td>
        </tr>
      ))}
    </tbody>
  </table>
);

/** What is left of the set that leaves least. */
function Thinnest({ set }: { set: NonNullable<Trial["thinnest"]> }) {
  const below = set.amount.startsWith("-");
  return (
    <div className={`mt-3 rounded-[4px] px-3 py-2 ${below ? "bg-badwash" : "bg-wash"}`} data-testid="thinnest">
      <p className="text-[12px] text-quiet">At its worst, of the sets tried</p>
      <p>
        {joined(
          set.goods.map((g) => `${count(g.quantity)} ${g.name}`),
          "and",
        )}{" "}
        for <b>{amount(set.total)}</b>
      </p>
      <p className={below ? "font-semibold text-bad" : "text-quiet"}>
        {below && "Below cost: "}cost {amount(set.cost)}, margin {amount(set.amount)}, {amount(set.percent)} %
      </p>
    </div>
  );
}
