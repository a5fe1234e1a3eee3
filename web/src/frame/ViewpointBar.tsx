import { useState } from "react";
import { useLocation } from "react-router";
import { useItems } from "../api/items";
import { useRules } from "../api/rules";
import { useProgramState } from "../api/state";
import { readBasket } from "../lib/address";
import { readWhole } from "../lib/reading";
import { useViewpoint } from "../lib/viewpoint";
import { Pop } from "../ui/pop";
import { Button } from "../ui/button";
import { moment } from "../lib/format";
import { MomentField } from "../ui/moment-field";
import { PickMany } from "../ui/pick-many";
import { BuyerConditions } from "./BuyerConditions";
import { TimeStrip } from "./TimeStrip";
import { Tip } from "../ui/tip";

/** Who, where, how many and when, as one sentence whose parts are controls. */
export function ViewpointBar() {
  const { data: state } = useProgramState();
  const { viewpoint, params, set } = useViewpoint();
  const [held, setHeld] = useState("");
  const basket = useLocation().pathname.startsWith("/basket");
  if (!state) return <div className="h-[62px] shrink-0 border-b" />;
  const at = viewpoint.at || state.now;
  const against = params.get("against") ?? "";
  const kind = against.split(":")[0] ?? "";
  const compare = (choice: string) => {
    if (choice === "at") set({ against: "at:" + (held || state.now) });
    else if (choice === "who") set({ against: "who:" });
    else set({ against: choice });
  };
  return (
    <section
      aria-label="Viewpoint"
      className="flex shrink-0 items-center gap-6 border-b bg-paper px-4 py-1 max-[1180px]:block"
    >
      <p className="min-w-0 text-[15px] leading-[30px] max-[1180px]:inline">
        Prices for{" "}
        <WhoSelect label="For whom" value={viewpoint.who} onChange={(who) => set({ who })} everybody="everyone" />
        <BuyerConditions viewpoint={viewpoint} set={set} /> at{" "}
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
        {basket ? (
          <Codes chosen={readBasket(params).codes} onChange={(list) => set({ codes: list.join(",") })} />
        ) : (
          <>
            buying{" "}
            <Quantity value={viewpoint.quantity} onChange={(n) => set({ quantity: n === 1 ? null : String(n) })} />
          </>
        )}{" "}
        on{" "}
        <MomentField label="Moment" at={at} now={state.now} onChange={(m) => set({ at: m === state.now ? null : m })} />
        {viewpoint.at ? (
          <button
            type="button"
            className="ml-1 text-quiet underline underline-offset-2"
            onClick={() => {
              setHeld(viewpoint.at);
              set({ at: null });
            }}
          >
            back to now
          </button>
        ) : (
          <span className="text-quiet"> (now)</span>
        )}
        {!basket && (
          <>
            , against{" "}
            <select
              aria-label="Compared with"
              className="blank"
              value={kind === "" ? "published" : kind}
              onChange={(e) => compare(e.target.value === "published" ? "" : e.target.value)}
            >
              <option value="published">what is published</option>
              <option value="list">the list price</option>
              <option value="at">another moment</option>
              <option value="who">somebody else</option>
            </select>
            {kind === "at" && (
              <>
                {" "}
                <MomentField
                  label="Compared moment"
                  at={against.slice(3)}
                  now={state.now}
                  onChange={(m) => set({ against: "at:" + m })}
                />
              </>
            )}
            {kind === "who" && (
              <>
                {" "}
                <WhoSelect
                  label="Compared with whom"
                  value={against.slice(4)}
                  onChange={(who) => set({ against: "who:" + who })}
                  everybody="everyone"
                />
              </>
            )}
          </>
        )}
        <Drafts chosen={viewpoint.with} onChange={(list) => set({ with: list.join(",") })} />
      </p>
      <TimeStrip at={at} now={state.now} onChange={(m) => set({ at: m === state.now ? null : m })} />
      <span className="sr-only" aria-live="polite">
        {moment(at, state.now)}
      </span>
    </section>
  );
}

/** Everyone, a group or a single customer. */
function WhoSelect({
  label,
  value,
  onChange,
  everybody,
}: {
  label: string;
  value: string;
  onChange: (who: string) => void;
  everybody: string;
}) {
  const { data: groups } = useItems("groups");
  const { data: customers } = useItems("customers");
  return (
    <select aria-label={label} className="blank" value={value} onChange={(e) => onChange(e.target.value)}>
      <option value="">{everybody}</option>
      <optgroup label="Groups">
        {groups?.map((g) => (
          <option key={g.code} value={"group:" + g.code}>
            {g.name || g.code}
          </option>
        ))}
      </optgroup>
      <optgroup label="Customers">
        {customers?.map((c) => (
          <option key={c.code} value={"customer:" + c.code}>
            {c.name || c.code}
          </option>
        ))}
      </optgroup>
    </select>
  );
}

/** The words that somebody presents with a basket. */
function Codes({ chosen, onChange }: { chosen: string[]; onChange: (list: string[]) => void }) {
  const [typed, setTyped] = useState("");
  const add = () => {
    const words = typed.split(/[\s,;]+/).filter((w) => w !== "" && !chosen.includes(w));
    if (words.length > 0) onChange([...chosen, ...words]);
    setTyped("");
  };
  return (
    <>
      {chosen.length > 0 && "presenting "}
      <Pop
        label="Codes that are presented"
        width={300}
        trigger={
          <button
            type="button"
            className={`blank text-left ${chosen.length === 0 ? "font-normal text-quiet" : ""}`}
            aria-label={`Codes that are presented: ${chosen.join(", ") || "none"}`}
          >
            {chosen.join(", ") || "+ codes"}
          </button>
        }
      >
        <form
          className="flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            e.stopPropagation();
            add();
          }}
        >
          <input
            aria-label="Code"
            className="field min-w-0 flex-1"
            placeholder="as it is written"
            value={typed}
            autoFocus
            onChange={(e) => setTyped(e.target.value)}
            onBlur={add}
          />
          <Button type="submit">Present it</Button>
        </form>
        <ul className="mt-2 flex flex-wrap gap-1.5">
          {chosen.map((word) => (
            <li key={word} className="flex items-center rounded-full border border-ink/40 pl-2.5">
              {word}
              <button
                type="button"
                aria-label={`Take back the code ${word}`}
                className="px-2 text-quiet hover:text-ink"
                onClick={() => onChange(chosen.filter((c) => c !== word))}
              >
                ×
              </button>
            </li>
          ))}
        </ul>
      </Pop>
    </>
  );
}

/** Rules and campaigns that are off or drafts, counted as if they were on. */
function Drafts({ chosen, onChange }: { chosen: string[]; onChange: (list: string[]) => void }) {
  const { data: rules } = useRules();
  const { data: campaigns } = useItems("campaigns");
  const names = new Map<string, string>();
  for (const r of rules ?? []) if ((r.rule.status ?? "on") !== "on") names.set(r.rule.code, r.rule.name ?? r.rule.code);
  for (const c of campaigns ?? [])
    if ((c.doc.status ?? "on") !== "on") names.set(c.code, `campaign ${c.name || c.code}`);
  if (names.size === 0 && chosen.length === 0) return null;
  return (
    <>
      {" "}
      {chosen.length > 0 ? ", as if on: " : ""}
      <PickMany
        label="Drafts that count as on"
        options={[...names.keys()]}
        chosen={chosen}
        empty="+ drafts"
        show={(code) => names.get(code) ?? code}
        onChange={onChange}
      />
    </>
  );
}

function Quantity({ value, onChange }: { value: number; onChange: (n: number) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const meant = (text: string) => /^[1-9]\d{0,5}$/.exec(readWhole(text) ?? "")?.[0];
  const bad = typed !== null && meant(typed) === undefined;
  return (
    <Tip text="A whole number from 1">
      <input
        aria-label="Quantity"
        inputMode="numeric"
        className="blank w-10 text-center"
        aria-invalid={bad}
        value={typed ?? value}
        onChange={(e) => {
          setTyped(e.target.value);
          const n = meant(e.target.value);
          if (n) onChange(Number(n));
        }}
        onBlur={() => setTyped(null)}
      />
    </Tip>
  );
}
