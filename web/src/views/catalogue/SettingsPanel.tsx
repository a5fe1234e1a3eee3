import { useEffect, useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { useEdit } from "../../api/edits";
import { useEditImpact } from "../../api/impact";
import { useSave } from "../../api/saving";
import { useMay } from "../../api/session";
import { rateImpactQuery, setRate, useSettings } from "../../api/settings";
import { useProgramState } from "../../api/state";
import { addressOf } from "../../lib/address";
import { Problem, type Where } from "../../api/client";
import { amount, count, errorText } from "../../lib/format";
import { goodsWords } from "../../lib/sentence";
import { Add, Blank, Choice, Out } from "../../ui/blanks";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { Failed, FieldError } from "../../ui/states";
import { TaxClassBlanks } from "../../ui/tax-class";
import { SelectionBuilder } from "../../parts/rule/SelectionBuilder";
import { readSelection, writeSelection, type Selection } from "../../parts/rule/selection";

interface Guard {
  where?: Where;
  minMargin?: string;
  maxOff?: string;
  action?: string;
}
interface SettingsDoc {
  currency: string;
  timeZone: string;
  pricesIncludeTax?: boolean;
  shippingTaxClass?: string;
  rounding?: { mode?: string; when?: string };
  taxRates?: Record<string, string>;
  guard?: Guard;
  guards?: Guard[];
  byHand?: { maxPercent?: string; maxAmount?: string };
}

/** Exchange rates, and what holds for the whole book: tax classes, guards, rounding. */
export function SettingsPanel() {
  const { data, error, refetch } = useSettings();
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[900px] px-6 pt-3 pb-12">
        <Rates rates={data.rates} book={(data.doc as unknown as SettingsDoc).currency} />
        <Whole
          key={data.etag}
          saved={data.doc as unknown as SettingsDoc}
          etag={data.etag}
          uses={Object.fromEntries(data.taxClasses.map((t) => [t.class, t.products]))}
        />
      </div>
    </div>
  );
}

interface Rate {
  currency: string;
  rate: string;
  day: string;
  channels: string[];
}

function Rates({ rates, book }: { rates: Rate[]; book: string }) {
  const [params] = useSearchParams();
  const may = useMay("manager");
  const [adding, setAdding] = useState(false);
  return (
    <section aria-label="Exchange rates">
      <h2 className="flex items-baseline gap-3 border-b pb-1">
        Exchange rates
        <Link
          className="text-[13px] font-normal underline underline-offset-2"
          to={addressOf("/catalogue/import", params, { file: "rates" })}
        >
          import from a file
        </Link>
      </h2>
      {rates.length === 0 && <p className="mt-1 text-quiet">Every channel sells in {book}.</p>}
      {rates.map((r) => (
        <RateLine key={r.currency + r.rate + r.day} book={book} rate={r} may={may} />
      ))}
      {adding ? (
        <RateLine
          book={book}
          rate={{ currency: "", rate: "", day: "", channels: [] }}
          may={may}
          onDone={() => setAdding(false)}
        />
      ) : (
        may && (
          <p className="mt-1">
            <Add onClick={() => setAdding(true)}>a currency</Add>
          </p>
        )
      )}
    </section>
  );
}

function RateLine({ rate, book, may, onDone }: { rate: Rate; book: string; may: boolean; onDone?: () => void }) {
  const [form, setForm] = useState({ currency: rate.currency, rate: rate.rate, day: rate.day });
  const { data: state } = useProgramState();
  const isNew = rate.currency === "";
  const dirty = form.rate.trim() !== rate.rate || (form.day.trim() !== rate.day && form.day.trim() !== "") || isNew;
  const body = {
    currency: form.currency.trim().toUpperCase(),
    rate: form.rate.trim(),
    ...(form.day.trim() && { day: form.day.trim() }),
  };
  const effect = useQuery({
    ...rateImpactQuery(body),
    enabled: dirty && form.rate.trim() !== rate.rate && body.currency.length === 3 && body.rate !== "",
  });
  const save = useSave((_: void, seen) => setRate(body, seen));
  const problem = save.error ?? effect.error;
  const at = (place: string) =>
    problem instanceof Problem ? problem.details.find((d) => d.location === place)?.message : undefined;
  return (
    <div className="border-b py-1.5" data-rate={rate.currency}>
      <p className="leading-8">
        1 {book} is{" "}
        <Blank
          label={`Rate of ${rate.currency || "the new currency"}`}
          className="w-24 text-right"
          inputMode="decimal"
          readOnly={!may}
          bad={at("rate") !== undefined}
          value={form.rate}
          onChange={(v) =>
            // Another rate is of another day, unless that is said.
            setForm({ ...form, rate: v, day: form.day === rate.day && v !== rate.rate ? "" : form.day })
          }
        />{" "}
        {isNew ? (
          <Blank
            label="New currency"
            className="w-14"
            placeholder="GBP"
            bad={at("currency") !== undefined}
            value={form.currency}
            onChange={(v) => setForm({ ...form, currency: v })}
          />
        ) : (
          rate.currency
        )}
        , the rate of{" "}
        <Blank
          label={`Day of the rate of ${rate.currency || "the new currency"}`}
          className="w-[104px]"
          placeholder={form.rate === rate.rate && rate.rate ? "no day known" : "today"}
          readOnly={!may}
          bad={at("day") !== undefined}
          value={form.day}
          onChange={(v) => setForm({ ...form, day: v })}
        />
        {rate.channels.length > 0 && <span className="text-quiet">, for the {rate.channels.join(" and the ")}</span>}
        {dirty && may && (
          <Button
            className="ml-3"
            disabled={save.isPending || body.currency === ""}
            onClick={() => save.mutate(undefined, { onSuccess: () => onDone?.() })}
          >
            {isNew ? "Add the rate" : "Save the rate"}
          </Button>
        )}
        {onDone && <Out label="No new currency" onClick={onDone} />}{" "}
        <FieldError>
          {at("rate") ?? at("currency") ?? at("day") ?? (problem ? errorText(problem) : undefined)}
        </FieldError>
      </p>
      {dirty && !problem && <EffectNote effect={effect.data} busy={effect.isFetching} now={state?.now ?? ""} />}
    </div>
  );
}

interface GuardForm {
  guard: Guard;
  selection: Selection;
}

/** Everything else that holds for the whole book, saved together with what it would do to prices first. */
function Whole({ saved, etag, uses }: { saved: SettingsDoc; etag: string; uses: Record<string, number> }) {
  const may = useMay("manager");
  const { data: state } = useProgramState();
  const [doc, setDoc] = useState(saved);
  const [classes, setClasses] = useState(() => Object.entries(saved.taxRates ?? {}));
  const [guards, setGuards] = useState<GuardForm[]>(() =>
    (saved.guards ?? []).map((guard) => ({ guard, selection: readSelection(guard.where) })),
  );
  const next: SettingsDoc = { ...doc };
  if (classes.length > 0) next.taxRates = Object.fromEntries(classes.map(([k, v]) => [k.trim(), v.trim()]));
  else delete next.taxRates;
  if (guards.length > 0)
    next.guards = guards.map(({ guard, selection }) => {
      const where = writeSelection(selection);
      return { ...guard, ...(where && { where }) };
    });
  else delete next.guards;
  const dirty = JSON.stringify(next) !== JSON.stringify(saved);
  const change = { kind: "settings" as const, code: "", etag, doc: next as unknown as Record<string, unknown> };
  const effect = useEditImpact(dirty ? [change] : null);
  const edit = useEdit();
  const errors = dirty ? (effect.data?.errors ?? []) : [];
  useEffect(() => edit.reset(), [etag]); // eslint-disable-line react-hooks/exhaustive-deps
  const set = (part: Partial<SettingsDoc>) => setDoc((old) => ({ ...old, ...part }));
  const guard = (g: Guard, put: (g: Guard) => void, which: string) => (
    <>
      at least{" "}
      <Blank
        label={`Least margin${which}`}
        className="w-14 text-right"
        inputMode="decimal"
        value={g.minMargin ?? ""}
        onChange={(v) => put({ ...g, minMargin: v.trim() })}
      />{" "}
      % margin, all layers together take at most{" "}
      <Blank
        label={`Most off${which}`}
        className="w-14 text-right"
        inputMode="decimal"
        placeholder="any"
        value={g.maxOff ?? ""}
        onChange={(v) => {
          const n = { ...g };
          if (v.trim()) n.maxOff = v.trim();
          else delete n.maxOff;
          put(n);
        }}
      />{" "}
      %; a price below is{" "}
      <Choice
        label={`What happens${which}`}
        value={g.action ?? "flag"}
        options={[
          ["flag", "flagged"],
          ["hold", "lifted to the limit"],
        ]}
        onChange={(action) => put({ ...g, action })}
      />
    </>
  );
  return (
    <section aria-label="The whole book" className="mt-6 leading-8">
      <h2 className="border-b pb-1">Tax classes</h2>
      {classes.map(([name, percent], i) => (
        <p key={i}>
          <TaxClassBlanks
            n={i + 1}
            value={[name, percent]}
            between=" "
            onChange={(v) => setClasses(classes.map((c, k) => (k === i ? v : c)))}
          />{" "}
          <span className="text-quiet">{uses[name] ? `${count(uses[name] ?? 0)} products` : "no product"}</span>
          {may && (
            <Out label={`Take tax class ${i + 1} out`} onClick={() => setClasses(classes.filter((_, k) => k !== i))} />
          )}
        </p>
      ))}
      {may && <Add onClick={() => setClasses([...classes, ["", ""]])}>a tax class</Add>}
      <p>
        Prices are kept{" "}
        <Choice
          label="Prices are kept"
          value={doc.pricesIncludeTax === false ? "without" : "with"}
          options={[
            ["with", "with tax"],
            ["without", "without tax"],
          ]}
          onChange={(v) => set({ pricesIncludeTax: v === "with" })}
        />
        ; shipping is of the class{" "}
        <Choice
          label="Tax class of shipping"
          value={doc.shippingTaxClass ?? ""}
          options={[["", "none"] as const, ...classes.map(([k]) => [k, k] as const)]}
          onChange={(v) => {
            const n = { ...doc };
            if (v) n.shippingTaxClass = v;
            else delete n.shippingTaxClass;
            setDoc(n);
          }}
        />
      </p>
      <h2 className="mt-4 border-b pb-1">Rounding</h2>
      <p>
        Prices are rounded to the currency’s minor unit,{" "}
        <Choice
          label="Rounding"
          value={doc.rounding?.mode ?? "half-up"}
          options={[
            ["half-up", "half up"],
            ["half-even", "half to even"],
          ]}
          onChange={(mode) => set({ rounding: { ...doc.rounding, mode } })}
        />
        ,{" "}
        <Choice
          label="When prices are rounded"
          value={doc.rounding?.when ?? "end"}
          options={[
            ["end", "once at the end"],
            ["step", "after every rule"],
          ]}
          onChange={(when) => set({ rounding: { ...doc.rounding, when } })}
        />
        . By hand a till may take up to{" "}
        <Blank
          label="By hand up to percent"
          className="w-12 text-right"
          inputMode="decimal"
          value={doc.byHand?.maxPercent ?? "0"}
          onChange={(v) => set({ byHand: { ...doc.byHand, maxPercent: v.trim() } })}
        />{" "}
        % off.
      </p>
      <h2 className="mt-4 border-b pb-1">Guards</h2>
      <p>Everything keeps {guard(doc.guard ?? { minMargin: "0", action: "flag" }, (g) => set({ guard: g }), "")}</p>
      {guards.map((g, i) => (
        <div key={i} className="mt-2 border-l-2 border-ink/30 pl-3">
          <p>
            <b>{goodsWords(writeSelection(g.selection))}</b>{" "}
            {guard(
              g.guard,
              (n) => setGuards(guards.map((x, k) => (k === i ? { ...x, guard: n } : x))),
              ` of guard ${i + 1}`,
            )}
            {may && (
              <Out label={`Take guard ${i + 1} out`} onClick={() => setGuards(guards.filter((_, k) => k !== i))} />
            )}
          </p>
          <SelectionBuilder
            title="For which goods; the last guard that fits counts"
            selection={g.selection}
            onChange={(selection) => setGuards(guards.map((x, k) => (k === i ? { ...x, selection } : x)))}
          />
        </div>
      ))}
      {may && (
        <p className="mt-1">
          <Add
            onClick={() =>
              setGuards([
                ...guards,
                { guard: { minMargin: "10", action: "flag" }, selection: readSelection(undefined) },
              ])
            }
          >
            a guard for a category, a brand or other goods
          </Add>
        </p>
      )}
      <p className="mt-2 text-[14px] text-quiet">
        The book is kept in {saved.currency}, on the clock of {saved.timeZone}. Layers and their order are arranged in
        the stack.
      </p>
      {dirty && (
        <div className="mt-4 rounded-[4px] border border-ink/25 bg-sheet px-3 py-2 leading-normal">
          {errors.length > 0 ? (
            <ul className="text-bad">
              {errors.slice(0, 6).map((e) => (
                <li key={e.path + e.problem}>
                  {e.path}: {e.problem} {e.value && `(found ${amount(e.value)})`}
                </li>
              ))}
            </ul>
          ) : (
            <EffectNote effect={effect.data} busy={effect.isFetching} now={state?.now ?? ""} />
          )}
          <div className="mt-2 flex gap-2">
            <Button
              look="ink"
              disabled={!may || errors.length > 0 || edit.isPending || effect.isFetching}
              onClick={() => edit.mutate({ changes: [change] })}
            >
              Save the settings
            </Button>
            <Button
              onClick={() => {
                setDoc(saved);
                setClasses(Object.entries(saved.taxRates ?? {}));
                setGuards((saved.guards ?? []).map((x) => ({ guard: x, selection: readSelection(x.where) })));
              }}
            >
              Put them back as they were
            </Button>
            {edit.error && <FieldError>{errorText(edit.error)}</FieldError>}
          </div>
        </div>
      )}
    </section>
  );
}
