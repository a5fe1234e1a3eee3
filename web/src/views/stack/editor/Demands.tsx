import { useQueries } from "@tanstack/react-query";
import { impactQuery, useNearest } from "../../../api/impact";
import { viewpointQuery } from "../../../api/viewpoint";
import { useViewpoint } from "../../../lib/viewpoint";
import type { Demand, Rule } from "../../../api/client";
import { amount, count, isZero, moment } from "../../../lib/format";
import { Button } from "../../../ui/button";

const demandWords = (d: Demand) => {
  switch (d.kind) {
    case "limit-whole-units":
      return "takes whole amounts only";
    case "limit-lead-time":
      return "wants";
    case "limit-discount":
      return d.side === "most" ? "permits" : "demands";
    case "limit-reference":
      return "demands";
  }
};

interface Props {
  demands: Demand[];
  rule: Rule;
  replaces: string;
  /** Takes a value that the channel would accept: a price, the effect's value, or a moment. */
  onTake: (demand: Demand, value: string) => void;
}

/** What channels demand of a price and the rule does not keep, with the nearest values that would pass. */
export function Demands({ demands, rule, replaces, onTake }: Props) {
  if (demands.length === 0) return null;
  return (
    <section aria-label="What channels demand" className="mt-3 rounded-[4px] border border-bad/60 px-3 py-2">
      {demands.map((d) => (
        <div key={d.channel + d.kind + (d.side ?? "")} className="mb-1 last:mb-0">
          <p>
            <b>{d.name}</b> {demandWords(d)}
            {d.kind !== "limit-whole-units" && ` ${d.wants}`}
            {d.count > 0 && `: ${count(d.count)} ${d.count === 1 ? "price does" : "prices do"} not keep to it`}
          </p>
          {d.kind === "limit-lead-time" && d.nearest[0] && (
            <p className="text-quiet">
              Begin <Value text={moment(d.nearest[0])} onTake={() => onTake(d, d.nearest[0] ?? "")} /> or later
            </p>
          )}
          {d.sku && d.nearest.length > 0 && (
            <p className="text-quiet">
              {d.sku} would be {amount(d.have)}; valid is {d.nearest.map((n) => amount(n)).join(" or ")}
            </p>
          )}
          {d.kind === "limit-whole-units" && <WholeUnits demand={d} rule={rule} replaces={replaces} onTake={onTake} />}
          {d.kind === "limit-discount" && rule.effect && (
            <Nearest demand={d} rule={rule} replaces={replaces} onTake={(value) => onTake(d, value)} />
          )}
        </div>
      ))}
    </section>
  );
}

const Value = ({ text, onTake }: { text: string; onTake: () => void }) => (
  <Button look="bare" className="min-h-0 px-1 underline underline-offset-2" onClick={onTake}>
    {text}
  </Button>
);

/** Endings that make the rule's prices whole, as far as they do: a later rule may take more off than the rule leaves. */
function WholeUnits({ demand, rule, replaces, onTake }: Omit<Props, "demands"> & { demand: Demand }) {
  const { viewpoint } = useViewpoint();
  const tried = useQueries({
    queries: (["down", "up"] as const).map((direction) =>
      impactQuery(viewpointQuery(viewpoint), { ...rule, ending: { step: "1", direction } }, replaces),
    ),
  });
  if (tried.some((t) => t.isPending)) return null;
  const mends = (i: number) => {
    const found = tried[i]?.data;
    const same = (d: Demand) => d.channel === demand.channel && d.kind === demand.kind;
    return found !== undefined && found.errors.length === 0 && !found.demands.some(same);
  };
  const [down, up] = [demand.nearest.find((n) => Number(n) < Number(demand.have)), demand.nearest.at(-1)];
  const offered = [
    ...(down !== undefined && mends(0) ? [["round the rule’s prices down", down] as const] : []),
    ...(up !== undefined && mends(1) ? [["round them up", up] as const] : []),
  ];
  return (
    <p className="text-quiet" data-testid="whole-units">
      {offered.length === 0
        ? "To round this rule’s prices does not mend it: another rule, or an ending, comes after it."
        : "All keep to this if you "}
      {offered.map(([words, n], i) => (
        <span key={words}>
          {i > 0 && " or "}
          <Value text={words} onTake={() => onTake(demand, n)} />
        </span>
      ))}
    </p>
  );
}

const valueWords = (kind: string, value: string) =>
  kind === "percentOff" ? `${value} % off` : kind === "amountOff" ? `${amount(value)} off` : amount(value);

const isReduction = (kind: string) => kind === "percentOff" || kind === "amountOff";

/** The values of the effect on both sides at which every price keeps to the demand. */
function Nearest({
  demand,
  rule,
  replaces,
  onTake,
}: {
  demand: Demand;
  rule: Rule;
  replaces: string;
  onTake: (value: string) => void;
}) {
  const { viewpoint } = useViewpoint();
  const { data } = useNearest(viewpoint, rule, replaces, demand.channel, demand.side ?? "least");
  if (!data || data.kind === "") return null;
  // To take nothing off is no cure of a reduction.
  const sides = [data.lower, data.upper].filter(
    (v): v is string => v !== null && !(isReduction(data.kind) && isZero(v)),
  );
  return (
    <p className="text-quiet" data-testid="nearest">
      {sides.length === 0 ? "No value of the rule keeps all of them to this." : "All keep to this with "}
      {sides.map((v, i) => (
        <span key={v}>
          {i > 0 && " or "}
          <Value text={valueWords(data.kind, v)} onTake={() => onTake(v)} />
        </span>
      ))}
    </p>
  );
}
