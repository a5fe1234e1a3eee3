import { useRef } from "react";
import { Link } from "react-router";
import { useFlags } from "../../api/flags";
import { useRules } from "../../api/rules";
import { useProgramState } from "../../api/state";
import { carried } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import type { Flag } from "../../api/client";
import { amount, isZero, moment } from "../../lib/format";
import { useWhoNames } from "../../lib/names";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";

const kinds: [string, string, string][] = [
  ["below-cost", "Below cost", "Each sale loses money. Sorted by what one sale loses."],
  [
    "tie",
    "Two rules that conflict",
    "Same rank, different prices: the lower price wins today, but nobody has decided so.",
  ],
];

/** Trouble that the program found, grouped by kind, each with the question that shows it. */
export function Flags() {
  const { data, error, refetch } = useFlags();
  const { data: state } = useProgramState();
  const list = useRef<HTMLDivElement>(null);
  useOneTabStop(list, "[data-flag]");
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  return (
    <div ref={list} className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[1180px] px-5 pb-16">
        <div className="flex items-baseline gap-4 py-3">
          <h1 className="text-[19px]">Flags</h1>
          <p className="text-quiet" aria-live="polite">
            {data.searching
              ? "Looking at the newest change …"
              : `Every channel and quantity looked at, from now to ${moment(data.to, state?.now)}.`}
          </p>
        </div>
        {data.flags.length === 0 && !data.searching && (
          <Empty title="No trouble found">
            Prices below cost and rules that conflict show up here as soon as a saved change makes them.
          </Empty>
        )}
        {kinds.map(([kind, name, hint]) => {
          const list = grouped(data.flags.filter((f) => f.kind === kind));
          if (list.length === 0) return null;
          return (
            <section key={kind} aria-label={name} className="mb-8">
              <div className="flex items-baseline gap-3 border-b border-ink/50 pb-1">
                <h2 className={`text-[16px] ${kind === "below-cost" ? "text-bad" : ""}`}>
                  {name} <span className="font-normal">{list.length}</span>
                </h2>
                <p className="text-quiet">{hint}</p>
              </div>
              <ul>
                {list.map((group) => (
                  <FlagLine key={`${group[0]?.sku} ${group[0]?.rules?.join()}`} flags={group} names={data.names} />
                ))}
              </ul>
            </section>
          );
        })}
      </div>
    </div>
  );
}

/** Flags on the same subject in several channels, together. */
function grouped(flags: Flag[]): Flag[][] {
  const map = new Map<string, Flag[]>();
  for (const f of flags) {
    const key = f.kind === "tie" ? (f.rules ?? []).join() : (f.sku ?? "");
    map.set(key, [...(map.get(key) ?? []), f]);
  }
  return [...map.values()];
}

/** What a sale loses; a part of the smallest coin, too, is a loss. */
const lossWords = (left: string | undefined) => {
  const loss = (left ?? "").replace("-", "");
  return isZero(loss) ? `less than ${loss.replace(/0$/, "1")}` : amount(loss);
};

/** Who asks the question that shows a flag, as the board's address has it. */
const whoAsks = ({ witness }: Flag) =>
  witness.customer ? `customer:${witness.customer}` : witness.groups?.[0] ? `group:${witness.groups[0]}` : "";

function FlagLine({ flags, names: products }: { flags: Flag[]; names: Record<string, string> }) {
  const { params } = useViewpoint();
  const { data: state } = useProgramState();
  const { data: rules } = useRules();
  const whoName = useWhoNames();
  const [f] = flags;
  if (!f) return null;
  const names = new Map(rules?.map((r) => [r.rule.code, r.rule.name ?? r.rule.code]));
  const channel = (code: string | undefined) => state?.channels.find((c) => c.code === code)?.name ?? "no channel";
  const rule = (code: string) => (
    <Link
      key={code}
      className="font-medium underline decoration-1 underline-offset-2"
      to={`/stack/rule/${encodeURIComponent(code)}${carried(params)}`}
    >
      {names.get(code) ?? code}
    </Link>
  );
  const product = (sku = "") => (
    <>
      {products[sku] && <b>{products[sku]}</b>} <span className="whitespace-nowrap text-quiet">{sku}</span>
    </>
  );
  const rulesText = (f.rules ?? []).flatMap((code, i) => (i === 0 ? [rule(code)] : [" and ", rule(code)]));
  const show = (flag: Flag) => {
    const q = new URLSearchParams({
      channel: flag.channel ?? "none",
      at: flag.witness.at,
      sku: flag.witness.sku,
      trail: "open",
      q: flag.witness.sku,
    });
    if (whoAsks(flag)) q.set("who", whoAsks(flag));
    if (flag.witness.quantity > 1) q.set("quantity", String(flag.witness.quantity));
    return "/board?" + q.toString();
  };
  return (
    <li className="border-b py-2.5" data-flag={f.kind} data-sku={f.sku}>
      {f.kind === "below-cost" ? (
        <p className="text-[15px]">
          {product(f.sku)} sells at <b>{amount(f.price)}</b>
          {f.margin && f.margin.net !== f.price && ` (${amount(f.margin.net)} without tax)`}
          {f.margin && !isZero(f.margin.fee) && `, the channel keeps ${amount(f.margin.fee)}`}, it costs{" "}
          <b>{amount(f.margin?.cost ?? f.cost)}</b>
          {": "}
          <span className="text-bad">each sale loses {lossWords(f.left)}</span>
          {!f.margin && " after tax and fees"}
          {(f.rules ?? []).length > 0 ? (
            <>, made by {rulesText}.</>
          ) : (
            ". No rule is at work, its list price is too low."
          )}
        </p>
      ) : (
        <p className="text-[15px]">
          {rulesText} have the same rank. On {product(f.witness.sku)} they give <b>{amount(f.price)}</b>, which is used,
          and <b>{amount(f.other)}</b>.
        </p>
      )}
      <p className="mt-0.5 flex flex-wrap gap-x-4 text-quiet">
        {flags.map((one) => (
          <span key={one.channel ?? ""}>
            {channel(one.channel)}
            {whoAsks(one) && `, ${whoName(whoAsks(one))}`}, {moment(one.witness.at, state?.now)}
            {one.witness.quantity > 1 && `, ${one.witness.quantity} pieces`}{" "}
            <Link className="font-medium text-ink underline underline-offset-2" to={show(one)}>
              Show me
            </Link>
          </span>
        ))}
        <span>
          {f.kind === "tie"
            ? "Clear it: give one of them another rank."
            : "Clear it: change the rule or its goods, or mend the list price or the cost on the board."}
        </span>
      </p>
    </li>
  );
}
