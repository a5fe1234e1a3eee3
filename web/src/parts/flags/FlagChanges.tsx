import { useFlagImpact } from "../../api/flags";
import type { FlagBrief, Rule } from "../../api/client";
import { count } from "../../lib/format";
import { useViewpoint } from "../../lib/viewpoint";
import { kindName, severityColour } from "./kinds";

/** The flags that a rule which is being written would raise and clear, in every channel and for everybody. */
export function FlagChanges({ rule, replaces, ask }: { rule: Rule; replaces: string; ask: boolean }) {
  const { viewpoint } = useViewpoint();
  const { data } = useFlagImpact(viewpoint, rule, replaces, ask);
  if (!ask || !data) return null;
  if (!data.known) return <p className="mt-3 text-[13px] text-quiet">Flags: the saved book is being looked at …</p>;
  if (data.raised.length + data.cleared.length === 0)
    return (
      <p className="mt-3 text-[13px] text-quiet" data-testid="flag-changes">
        It raises no flag and clears none, for anybody in any channel.
      </p>
    );
  return (
    <section aria-label="Flags" className="mt-3" data-testid="flag-changes">
      <h3 className="border-b pb-1">Flags, for anybody in any channel</h3>
      <ul className="mt-1">
        {data.raised.map((f) => (
          <Change key={`+${f.kind}`} of={f} sign="+" colour={severityColour(f.severity)} />
        ))}
        {data.cleared.map((f) => (
          <Change key={`-${f.kind}`} of={f} sign="−" colour="text-good" />
        ))}
      </ul>
    </section>
  );
}

const Change = ({ of, sign, colour }: { of: FlagBrief; sign: string; colour: string }) => (
  <li className="flex gap-2 py-0.5" data-flag-change={`${sign}${of.kind}`}>
    <span className={`w-9 shrink-0 text-right font-medium ${colour}`}>
      {sign}
      {count(of.count)}
    </span>
    <span className="min-w-0">
      <span className={colour}>{kindName(of.kind)}</span>
      <span className="text-quiet">
        {" "}
        · {of.example}
        {of.count > 1 && " …"}
      </span>
    </span>
  </li>
);
