import { useState } from "react";
import { Link } from "react-router";
import type { FlagEntry, FlagFix } from "../../api/client";
import { useFix, useFixes } from "../../api/flags";
import { useEditImpact } from "../../api/impact";
import { useMay } from "../../api/session";
import { carried } from "../../lib/address";
import { count, errorText } from "../../lib/format";
import { useViewpoint } from "../../lib/viewpoint";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { FieldError } from "../../ui/states";
import { useFailed } from "../../ui/toasts";

/** The edits that may clear a flag, each with what it would do, applied in one step. */
export function Fixes({ entry, onMended }: { entry: FlagEntry; onMended: () => void }) {
  const { params } = useViewpoint();
  const channel = entry.flags[0]?.channel ?? "";
  const { data, error } = useFixes(entry.subject, channel, true);
  const [chosen, setChosen] = useState(-1);
  if (error) return <FieldError>{errorText(error)}</FieldError>;
  if (!data) return <p className="mt-1 text-quiet">Looking for what would mend it …</p>;
  const rule = entry.cause ?? entry.rule;
  return (
    <div className="mt-1.5 rounded-[4px] border bg-sheet px-3 py-2" data-testid="fixes">
      {data.fixes.length === 0 && (
        <p className="text-quiet">No single step mends this; it takes a decision{rule ? " about the rule" : ""}.</p>
      )}
      <ul>
        {data.fixes.map((fix, i) => (
          <Fix
            key={fix.title}
            fix={fix}
            open={i === chosen}
            onOpen={() => setChosen(i === chosen ? -1 : i)}
            onMended={onMended}
          />
        ))}
      </ul>
      {rule ? (
        <p className="pt-1 text-[13px] text-quiet">
          Or <Rule code={rule} params={params} />.
        </p>
      ) : (
        entry.sku && (
          <p className="pt-1 text-[13px] text-quiet">
            Or{" "}
            <Link
              className="underline underline-offset-2"
              to={`/catalogue/product/${encodeURIComponent(entry.sku)}${carried(params)}`}
            >
              open the product
            </Link>
            .
          </p>
        )
      )}
    </div>
  );
}

const Rule = ({ code, params }: { code: string; params: URLSearchParams }) => (
  <Link className="underline underline-offset-2" to={`/stack/rule/${encodeURIComponent(code)}${carried(params)}`}>
    change the rule yourself
  </Link>
);

interface FixProps {
  fix: FlagFix;
  open: boolean;
  onOpen: () => void;
  /** It was done, and clears the flag. */
  onMended: () => void;
}

function Fix({ fix, open, onOpen, onMended }: FixProps) {
  const may = useMay("manager");
  const fail = useFailed();
  const apply = useFix(() => fix.clears && onMended());
  const effect = useEditImpact(open ? fix.changes : null);
  return (
    <li className="border-b border-dotted py-1.5 last:border-0" data-fix={fix.title}>
      <div className="flex items-baseline gap-3">
        <button
          type="button"
          aria-expanded={open}
          className="min-w-0 flex-1 text-left font-medium hover:underline"
          onClick={onOpen}
        >
          {fix.title}
        </button>
        <span className="shrink-0 text-[13px]" aria-live="polite">
          {fix.problem ? <span className="text-bad">{fix.problem}</span> : <FlagsNote fix={fix} />}
        </span>
        {may && (
          <Button
            look={fix.clears ? "ink" : "plain"}
            disabled={apply.isPending || fix.problem !== undefined}
            aria-label={`Do it: ${fix.title}`}
            onClick={() => apply.mutate(fix, { onError: fail })}
          >
            Do it
          </Button>
        )}
      </div>
      {open && (
        <div className="pt-1 pl-3">
          <EffectNote effect={effect.data} busy={effect.isFetching} />
        </div>
      )}
    </li>
  );
}

/** What a fix does to the flags. */
function FlagsNote({ fix }: { fix: FlagFix }) {
  if (fix.late) return <span className="text-quiet">reaches so much that its flags are known once it is saved</span>;
  if (!fix.told) return <span className="text-quiet">looking …</span>;
  const others = fix.cleared - (fix.clears ? 1 : 0);
  return (
    <>
      {fix.clears ? (
        <span className="text-good">clears it{others > 0 && ` and ${count(others)} more`}</span>
      ) : (
        <span className="text-quiet">does not clear it{others > 0 && `, but ${count(others)} other`}</span>
      )}
      {fix.raised > 0 && (
        <span className="text-bad">
          , raises {count(fix.raised)} {fix.raised === 1 ? "other" : "others"}
        </span>
      )}
    </>
  );
}
