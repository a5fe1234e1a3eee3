import { useState } from "react";
import { useItems } from "../../api/items";
import { useSave } from "../../api/saving";
import type { Schema } from "../../api/client";
import { doToRules } from "../../api/rules";
import { count } from "../../lib/format";
import { CopyDialog } from "../../parts/copies/CopyDialog";
import { Button } from "../../ui/button";
import { useFailed } from "../../ui/toasts";

type What = Omit<Schema["BulkRules"], "codes">;

/** What is done to several rules at once; each is saved, and taken back, as one change. */
export function BatchBar({ codes, onClear }: { codes: string[]; onClear: () => void }) {
  const { data: campaigns } = useItems("campaigns");
  const fail = useFailed();
  const [copying, setCopying] = useState(false);
  const [days, setDays] = useState("7");
  const run = useSave((what: What, seen) => doToRules({ codes, ...what }, seen));
  const go = (what: What) => {
    run.mutate(what, { onSuccess: onClear, onError: fail });
  };
  const look = "border-paper/60 text-paper enabled:hover:bg-paper/15";
  return (
    <div
      role="toolbar"
      aria-label="Chosen rules"
      className="sticky top-0 z-20 mb-2 flex flex-wrap items-center gap-2 bg-ink px-3 py-1 text-paper"
    >
      <b>{count(codes.length)} chosen</b>
      <Button className={look} onClick={() => go({ do: "on" })}>
        Switch on
      </Button>
      <Button className={look} onClick={() => go({ do: "off" })}>
        Switch off
      </Button>
      <Button className={look} onClick={() => go({ do: "draft" })}>
        Make drafts
      </Button>
      <Button className={look} onClick={() => go({ do: "start" })}>
        Start now
      </Button>
      <span className="flex items-center gap-1">
        <Button
          className={look}
          disabled={!/^-?\d{1,4}$/.test(days) || days === "0"}
          onClick={() => go({ do: "shift", days: Number(days) })}
        >
          Shift by
        </Button>
        <input
          aria-label="Days to shift by"
          className="w-12 rounded-[3px] border border-paper/60 bg-ink px-1 text-right"
          value={days}
          onChange={(e) => setDays(e.target.value.trim())}
        />
        days
      </span>
      <Button className={look} onClick={() => setCopying(true)}>
        Copy to …
      </Button>
      {copying && <CopyDialog of={{ rules: codes }} onClose={() => setCopying(false)} onCopied={onClear} />}
      <select
        aria-label="Campaign of the chosen rules"
        className="rounded-[3px] border border-paper/60 bg-ink px-1 py-0.5"
        value="?"
        onChange={(e) => go({ do: "campaign", campaign: e.target.value })}
      >
        <option value="?">campaign …</option>
        <option value="">none</option>
        {campaigns?.map((c) => (
          <option key={c.code} value={c.code}>
            {c.name || c.code}
          </option>
        ))}
      </select>
      <Button className={look} onClick={() => go({ do: "delete" })}>
        Delete
      </Button>
      <Button
        look="bare"
        className="ml-auto text-paper/85 enabled:hover:bg-paper/15 enabled:hover:text-paper"
        onClick={onClear}
      >
        Let go
      </Button>
    </div>
  );
}
