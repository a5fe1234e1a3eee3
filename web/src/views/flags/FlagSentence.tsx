import { Link } from "react-router";
import type { Flag, FlagEntry, RuleRow } from "../../api/client";
import { useRules } from "../../api/rules";
import { useProgramState } from "../../api/state";
import { carried, whoAsks } from "../../lib/address";
import { amount, count, day, isZero } from "../../lib/format";
import { useWhoNames } from "../../lib/names";
import { useViewpoint } from "../../lib/viewpoint";

/** What a sale loses; a part of the smallest coin, too, is a loss. */
const lossWords = (left: string | undefined) => {
  const loss = (left ?? "").replace("-", "");
  return isZero(loss) ? `less than ${loss.replace(/0$/, "1")}` : amount(loss);
};

/** When a rule opens of which the weeks that were looked at hold nothing: later than those, or never. */
const opensWords = (row: RuleRow | undefined, now: string | undefined) =>
  row?.next && (row.state === "opens" || row.state === "closed")
    ? `later than the weeks looked at, ${day(row.next, now)}`
    : "at no moment: its times do not meet";

/** What is wrong, in a sentence that names goods and rules. */
export function FlagSentence({ entry }: { entry: FlagEntry }) {
  const { params } = useViewpoint();
  const { data: rules } = useRules();
  const { data: state } = useProgramState();
  const who = useWhoNames();
  const [f] = entry.flags;
  if (!f) return null;
  const names = new Map(rules?.map((r) => [r.rule.code, r.rule.name ?? r.rule.code]));
  const rule = (code: string | undefined) =>
    code && (
      <Link
        key={code}
        className="font-medium underline decoration-1 underline-offset-2"
        to={`/stack/rule/${encodeURIComponent(code)}${carried(params)}`}
      >
        {names.get(code) ?? code}
      </Link>
    );
  const list = (codes: string[] | undefined) =>
    (codes ?? []).flatMap((code, i) => [i === 0 ? "" : i === (codes ?? []).length - 1 ? " and " : ", ", rule(code)]);
  const goods = (
    <>
      {entry.name && <b>{entry.name}</b>}{" "}
      <span className="whitespace-nowrap text-quiet">{entry.sku ?? f.witness.sku}</span>
    </>
  );
  const by = f.cause ? <>, made by {rule(f.cause)}</> : ", without any rule: its list price is too low";
  const price = <b>{amount(f.price)}</b>;
  const other = <b>{amount(f.other)}</b>;
  const channel = state?.channels.find((c) => c.code === f.channel)?.name ?? "this channel";
  const near = (f.nearest ?? []).length > 0 && (
    <>, which takes {(f.nearest ?? []).map((n) => amount(n)).join(" or ")}</>
  );
  const words: Record<string, React.ReactNode> = {
    "no-price": <>{goods} is listed and has no price.</>,
    "below-cost": (
      <>
        {goods} sells at {price}
        {entry.sum && entry.sum.net !== f.price && ` (${amount(entry.sum.net)} without tax)`}
        {entry.sum && !isZero(entry.sum.fee) && `, the channel keeps ${amount(entry.sum.fee)}`}, it costs{" "}
        <b>{amount(entry.sum?.cost ?? f.cost)}</b>:{" "}
        <span className="text-bad">each sale loses {lossWords(f.left)}</span>
        {!entry.sum && " after tax and fees"}
        {by}.
      </>
    ),
    free: (
      <>
        {goods} costs nothing{f.cause ? <>, made by {rule(f.cause)}</> : ""}.
      </>
    ),
    "thin-margin": (
      <>
        {goods} sells at {price} and leaves {amount(f.left)}, less than its guard wants{by}.
      </>
    ),
    "over-max-off": (
      <>
        {goods} comes to {price}, below the {other} that all layers together may take it to{by}.
      </>
    ),
    "below-map": (
      <>
        {goods} sells at {price}, advertised it may not be below {other}
        {by}.
      </>
    ),
    "above-list": (
      <>
        {goods} sells at {price}, its list price is {other}.
      </>
    ),
    "no-cost": <>The cost of {goods} is unknown.</>,
    "group-above-public": (
      <>
        {who(whoAsks(f.witness)) || "Somebody"} pays {price} for {count(f.witness.quantity ?? 1)} {goods}, everybody
        else {other}.
      </>
    ),
    "dearer-by-quantity": (
      <>
        Of {count(f.witness.quantity ?? 1)} {goods}, each costs {price}; of fewer, {other}.
      </>
    ),
    tie: (
      <>
        {list(f.rules)} have the same rank. On {goods} they give different prices, {price} in the end; the loser would
        have given {other}.
      </>
    ),
    "never-wins":
      (f.rules ?? []).length > 0 ? (
        <>
          {rule(f.rule)} fits {count(f.products ?? 0)} {f.products === 1 ? "product" : "products"} and applies to none:{" "}
          {list(f.rules)} {(f.rules ?? []).length === 1 ? "comes" : "come"} first.
        </>
      ) : (
        <>
          {rule(f.rule)} fits {count(f.products ?? 0)} {f.products === 1 ? "product" : "products"} and applies to none
          of them, whatever comes before it.
        </>
      ),
    "matches-nothing": <>{rule(f.rule)} selects no product.</>,
    "never-open": (
      <>
        {rule(f.rule)} opens{" "}
        {opensWords(
          rules?.find((r) => r.rule.code === f.rule),
          state?.now,
        )}
        .
      </>
    ),
    doubled: (
      <>
        {list(f.rules)} both take something off {goods}.
      </>
    ),
    "derive-cycle": <>{list(f.rules)} derive prices from each other.</>,
    "promise-differs": f.words ? (
      <>
        {rule(f.rule)} says {f.words} and does something else.
      </>
    ) : (
      <>
        What {rule(f.rule)} says is not what becomes of {goods}.
      </>
    ),
    "break-inverted": (
      <>
        {rule(f.rule)} makes {goods} dearer at a higher break than at a lower one.
      </>
    ),
    "break-cliff": (
      <>
        With {rule(f.rule)}, {count(f.witness.quantity ?? 1)} {goods} cost {price}, and one fewer {other}.
      </>
    ),
    "break-lost": (
      <>
        {rule(f.rule)} reduces {goods}, and a later rule makes the same price of it without.
      </>
    ),
    "bundle-dearer": <>{rule(f.rule)} saves nothing: apart the goods cost no more.</>,
    "offer-below-cost": (
      <>
        {rule(f.rule)} sells {basketWords(f)} for {price}:{" "}
        <span className="text-bad">each sale loses {lossWords(f.left)}</span>.
      </>
    ),
    "offer-over-stock": <>{rule(f.rule)} may be had more often than its goods last.</>,
    "code-twice": (
      <>
        {list(f.rules)} both open with the code <b>{f.words}</b>.
      </>
    ),
    unannounced: <>{rule(f.rule)} follows a purchase and says nothing to the customer.</>,
    "channel-cannot": (
      <>
        {rule(f.rule)} is live in {channel}, which cannot do what it needs.
      </>
    ),
    "limit-whole-units": (
      <>
        {goods} comes to {price} in {channel}
        {near}
        {f.cause && <>; {rule(f.cause)} makes it</>}.
      </>
    ),
    "limit-discount": (
      <>
        {goods} is reduced from {other} to {price} in {channel}, which takes {amount(f.nearest?.[0])} to{" "}
        {amount(f.nearest?.[1])}
        {f.cause && <>; {rule(f.cause)} makes it</>}.
      </>
    ),
    "limit-reference": (
      <>
        {goods} is reduced in {channel} and has no price to compare it with.
      </>
    ),
    "limit-rating": (
      <>
        {goods} is rated too low to be reduced in {channel}.
      </>
    ),
    "limit-terms": (
      <>
        {rule(f.rule)} has no terms, and {channel} wants them.
      </>
    ),
    "limit-lead-time": (
      <>
        {rule(f.rule)} begins sooner than {channel} can know of it.
      </>
    ),
    "limit-words": (
      <>
        {f.rule ? rule(f.rule) : goods} says “{f.words}”, which {channel} refuses.
      </>
    ),
  };
  return <p className="text-[15px]">{words[f.kind] ?? f.kind}</p>;
}

const basketWords = (f: Flag) =>
  (f.basket?.lines ?? []).map((l) => `${count(l.quantity)} ${l.sku}`).join(", ") || "its goods";
