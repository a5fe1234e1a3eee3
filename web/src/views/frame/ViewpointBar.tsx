import { useState } from "react";
import { useProgramState } from "../../api/queries";
import { isValid } from "date-fns";
import { moment, wall, wallText } from "../../lib/format";
import { useViewpoint } from "../../lib/viewpoint";
import { TimeStrip } from "./TimeStrip";

/** Who, where, how many and when, as one sentence whose parts are controls. */
export function ViewpointBar() {
  const { data: state } = useProgramState();
  const { viewpoint, params, set } = useViewpoint();
  if (!state) return <div className="h-[62px] shrink-0 border-b" />;
  const at = viewpoint.at || state.now;
  return (
    <section aria-label="Viewpoint" className="flex shrink-0 items-center gap-6 border-b bg-paper px-4 py-1.5">
      <p className="shrink-0 text-[15px] leading-8">
        Prices at{" "}
        <select
          aria-label="Channel"
          className="blank"
          value={params.get("channel") ?? state.channels[0]?.code ?? "none"}
          onChange={(e) => set({ channel: e.target.value })}
        >
          {state.channels.map((c) => (
            <option key={c.code} value={c.code}>
              the {c.name}
            </option>
          ))}
          <option value="none">no channel</option>
        </select>{" "}
        buying <Quantity value={viewpoint.quantity} onChange={(n) => set({ quantity: n === 1 ? null : String(n) })} />{" "}
        on <Moment at={at} now={state.now} onChange={(m) => set({ at: m === state.now ? null : m })} />
        {viewpoint.at ? (
          <button
            type="button"
            className="ml-1 text-quiet underline underline-offset-2"
            onClick={() => set({ at: null })}
          >
            back to now
          </button>
        ) : (
          <span className="text-quiet"> (now)</span>
        )}
        {viewpoint.channel ? ", against what it shows" : ""}
      </p>
      <TimeStrip at={at} now={state.now} onChange={(m) => set({ at: m === state.now ? null : m })} />
      <span className="sr-only" aria-live="polite">
        {moment(at, state.now)}
      </span>
    </section>
  );
}

/** Reads as "Fri 27 Nov 09:00"; typed as "2026-11-27 09:00", the time may be left out. */
function Moment({ at, now, onChange }: { at: string; now: string; onChange: (at: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const parse = (text: string) => {
    const m = /^(\d{4}-\d{2}-\d{2})(?:[ T]+(\d{1,2}:\d{2}))?$/.exec(text.trim());
    const full = m ? `${m[1]}T${(m[2] ?? "00:00").padStart(5, "0")}` : "";
    const d = wall(full);
    return full && isValid(d) && wallText(d) === full ? full : "";
  };
  const bad = typed !== null && parse(typed) === "";
  const commit = () => {
    if (typed !== null && !bad) onChange(parse(typed));
    setTyped(null);
  };
  return (
    <span className="relative inline-block">
      <input
        aria-label="Moment"
        className="blank w-[156px]"
        aria-invalid={bad}
        title="year-month-day hours:minutes, such as 2026-11-27 09:00"
        value={typed ?? moment(at, now)}
        onFocus={(e) => {
          setTyped(at.replace("T", " "));
          requestAnimationFrame(() => e.target.select());
        }}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={commit}
        onKeyDown={(e) => {
          if (e.key === "Enter" && !bad) e.currentTarget.blur();
          if (e.key === "Escape") setTyped(null);
        }}
      />
      {bad && (
        <span
          role="alert"
          className="absolute top-full left-0 z-30 rounded-[3px] bg-bad px-2 text-[13px] leading-6 whitespace-nowrap text-paper"
        >
          No such moment. Write it as 2026-11-27 09:00.
        </span>
      )}
    </span>
  );
}

function Quantity({ value, onChange }: { value: number; onChange: (n: number) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const bad = typed !== null && !/^[1-9]\d{0,5}$/.test(typed);
  return (
    <input
      aria-label="Quantity"
      inputMode="numeric"
      className="blank w-10 text-center"
      aria-invalid={bad}
      title={bad ? "A whole number from 1" : undefined}
      value={typed ?? value}
      onChange={(e) => {
        setTyped(e.target.value);
        if (/^[1-9]\d{0,5}$/.test(e.target.value)) onChange(Number(e.target.value));
      }}
      onBlur={() => setTyped(null)}
    />
  );
}
