import { useQueryClient } from "@tanstack/react-query";
import { useEditImpact } from "../../../api/impact";
import { refresh, useSave } from "../../../api/saving";
import { useMay } from "../../../api/session";
import { saveSettings, useSettings } from "../../../api/settings";
import { useProgramState } from "../../../api/state";
import { Problem, type Schema, type SettingsDoc } from "../../../api/client";
import { useDraft } from "../../../lib/draft";
import { amount, counted, errorText } from "../../../lib/format";
import { goodsWords } from "../../../lib/sentence";
import { Add, Blank, Choice, Out } from "../../../ui/blanks";
import { Button } from "../../../ui/button";
import { ConflictNote, FoundNote } from "../../../ui/draft-notes";
import { EffectNote } from "../../../ui/effect-note";
import { rememberFocus } from "../../../ui/focus";
import { HireHours } from "../../../ui/hire-hours";
import { Failed, FieldError } from "../../../ui/states";
import { TaxClassBlanks } from "../../../ui/tax-class";
import { SelectionBuilder } from "../../../parts/rule/SelectionBuilder";
import { readSelection, writeSelection } from "../../../parts/rule/selection";
import { Countries } from "./Countries";
import { daysOf, docOf, formOf, lostIn, renamed, same, without, type SettingsForm } from "./form";
import { GuardBlanks } from "./GuardBlanks";
import { Rates } from "./Rates";

/** Exchange rates, and what holds for the whole book: tax classes, guards, rounding. One page, one save. */
export function SettingsPanel() {
  const { data, error, refetch } = useSettings();
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[900px] px-6 pt-3 pb-12">
        <Whole page={data} latest={async () => (await refetch()).data} />
      </div>
    </div>
  );
}

/** Errors that stand beside their blank. */
const beside = /^(rates|rateDays|taxRates|countries)\.|^guards?(\[\d+\])?\.(minMargin|maxOff)$|^hire\./;

type Page = Schema["SettingsPage"];

function Whole({ page, latest }: { page: Page; latest: () => Promise<Page | undefined> }) {
  const may = useMay("manager");
  const client = useQueryClient();
  const { data: state } = useProgramState();
  const draft = useDraft<SettingsForm, SettingsDoc>("dogbane-settings", formOf(page), page.etag, same);
  const { doc, rates, classes, countries, guards } = draft.value;
  const next = docOf(draft.value);
  const uses = Object.fromEntries(page.taxClasses.map((t) => [t.class, t.products]));
  const change = {
    kind: "settings" as const,
    code: "",
    etag: draft.etag,
    doc: { ...next },
  };
  const effect = useEditImpact(draft.dirty ? [change] : null);
  const save = useSave((_: void, seen) =>
    saveSettings({ doc: next, etag: draft.etag, rateDays: daysOf(draft.value, page.rates) }, seen),
  );
  const refused = save.error instanceof Problem && save.error.status !== 412 ? save.error : null;
  const lost = lostIn(draft.value);
  const errors = draft.dirty
    ? [
        ...lost.map((e) => ({ ...e, value: undefined })),
        ...(effect.data?.errors ?? []).map((e) => ({ ...e, path: e.path.replace(/^settings\./, "") })),
        ...(refused?.details ?? []).map((d) => ({ path: d.location, problem: d.message, value: undefined })),
      ]
    : [];
  const errorAt = (path: string) => {
    const e = errors.find((one) => one.path === path || one.path.startsWith(`${path}.`));
    return e && `${e.problem.charAt(0).toUpperCase()}${e.problem.slice(1)}.`;
  };
  const put = (part: Partial<SettingsForm>) => {
    save.reset();
    draft.set((old) => ({ ...old, ...part }));
  };
  const set = (part: Partial<SettingsDoc>) => put({ doc: { ...doc, ...part } });
  const again = (from: Page) => {
    draft.restart(formOf(from), from.etag);
  };
  const submit = () => {
    // What the program said of an earlier state, while it looks at this one, keeps nobody from saving.
    if (lost.length > 0 || (!effect.isPlaceholderData && (effect.data?.errors.length ?? 0) > 0)) return;
    save.mutate(undefined, {
      onSuccess: () => {
        const refocus = rememberFocus();
        draft.forget();
        void refresh(client)
          .then(latest)
          .then((now) => now && again(now))
          .then(refocus);
      },
      onError: draft.refused,
    });
  };
  return (
    <form
      className="leading-8"
      aria-label="The whole book"
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      {draft.found && <FoundNote onRestart={() => again(page)} />}
      {draft.theirs !== undefined && (
        <ConflictNote
          one="page"
          deleted={false}
          theirs={differences(draft.theirs ?? {}, next)}
          yours={differences(next, draft.theirs ?? {})}
          onTake={() => void latest().then((now) => now && again(now))}
          onKeep={() => void latest().then((now) => now && draft.rebase(now.etag))}
        />
      )}
      <Rates
        saved={page.rates}
        rates={rates}
        book={doc.currency}
        may={may}
        now={state?.now ?? ""}
        errorAt={errorAt}
        onChange={(r) => put({ rates: r })}
      />
      <section key={draft.round} aria-label="Tax, rounding and guards" className="mt-6">
        <h2 className="border-b pb-1">Tax classes</h2>
        {classes.map(([name, percent], i) => (
          <p key={i}>
            <TaxClassBlanks
              n={i + 1}
              value={[name, percent]}
              between=" "
              onChange={(v) =>
                put({ classes: classes.map((c, k) => (k === i ? v : c)), countries: renamed(countries, name, v[0]) })
              }
            />{" "}
            <span className="text-quiet">{uses[name] ? counted(uses[name] ?? 0, "product") : "no product"}</span>
            {may && (
              <Out
                label={`Take tax class ${i + 1} out`}
                onClick={() =>
                  put({ classes: classes.filter((_, k) => k !== i), countries: renamed(countries, name, "") })
                }
              />
            )}{" "}
            <FieldError>{errorAt(`taxRates.${name.trim()}`)}</FieldError>
          </p>
        ))}
        {may && <Add onClick={() => put({ classes: [...classes, ["", ""]] })}>a tax class</Add>}
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
              put({ doc: v ? { ...doc, shippingTaxClass: v } : without(doc, "shippingTaxClass") });
            }}
          />
        </p>
        <h2 className="mt-4 border-b pb-1">Taxes of countries</h2>
        <Countries
          countries={countries}
          classes={classes}
          may={may}
          errorAt={errorAt}
          onChange={(c) => put({ countries: c })}
        />
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
        <h2 className="mt-4 border-b pb-1">Hire</h2>
        <p>
          <HireHours
            value={doc.hire}
            error={errorAt("hire")}
            onChange={(hire) => put({ doc: hire ? { ...doc, hire } : without(doc, "hire") })}
          />
        </p>
        <h2 className="mt-4 border-b pb-1">Guards</h2>
        <p>
          Everything keeps{" "}
          <GuardBlanks
            guard={doc.guard ?? { minMargin: "0", action: "flag" }}
            which=""
            path="guard"
            errorAt={errorAt}
            onChange={(g) => set({ guard: g })}
          />
        </p>
        {guards.map((g, i) => (
          <div key={i} className="mt-2 border-l-2 border-ink/30 pl-3">
            <p>
              <b>{goodsWords(writeSelection(g.selection))}</b>{" "}
              <GuardBlanks
                guard={g.guard}
                which={` of guard ${i + 1}`}
                path={`guards[${i}]`}
                errorAt={errorAt}
                onChange={(n) => put({ guards: guards.map((x, k) => (k === i ? { ...x, guard: n } : x)) })}
              />
              {may && (
                <Out
                  label={`Take guard ${i + 1} out`}
                  onClick={() => put({ guards: guards.filter((_, k) => k !== i) })}
                />
              )}
            </p>
            <SelectionBuilder
              title="For which goods; the last guard that fits counts"
              selection={g.selection}
              onChange={(selection) => put({ guards: guards.map((x, k) => (k === i ? { ...x, selection } : x)) })}
            />
          </div>
        ))}
        {may && (
          <p className="mt-1">
            <Add
              onClick={() =>
                put({
                  guards: [
                    ...guards,
                    { guard: { minMargin: "10", action: "flag" }, selection: readSelection(undefined) },
                  ],
                })
              }
            >
              a guard for a category, a brand or other goods
            </Add>
          </p>
        )}
        <p className="mt-2 text-[14px] text-quiet">
          The book is kept in {doc.currency}, on the clock of {doc.timeZone}. Layers and their order are arranged in the
          stack.
        </p>
      </section>
      {draft.dirty && (
        <div className="mt-4 rounded-[4px] border border-ink/25 bg-sheet px-3 py-2 leading-normal">
          <div className="flex items-center gap-2">
            <Button look="ink" type="submit" disabled={!may || save.isPending}>
              Save the settings
            </Button>
            <Button onClick={() => again(page)}>Put them back as they were</Button>
            {!may && <span className="text-quiet">You may look, not save.</span>}
            {may && errors.length > 0 && <span className="text-bad">Nothing is saved before this is mended.</span>}
            {save.error && !(save.error instanceof Problem && save.error.status === 412) && (
              <FieldError>{errorText(save.error)}</FieldError>
            )}
          </div>
          <div className="mt-2">
            {errors.length === 0 ? (
              <EffectNote effect={effect.data} busy={effect.isFetching} now={state?.now ?? ""} />
            ) : (
              <ul className="text-bad">
                {errors
                  .filter((e) => !beside.test(e.path))
                  .slice(0, 6)
                  .map((e) => (
                    <li key={e.path + e.problem}>
                      {e.path}: {e.problem} {e.value && `(found ${amount(e.value)})`}
                    </li>
                  ))}
              </ul>
            )}
          </div>
        </div>
      )}
    </form>
  );
}

/** What one state of the settings says that another does not. */
function differences(of: Partial<SettingsDoc>, from: Partial<SettingsDoc>): string {
  const other = from as Record<string, unknown>;
  const list = Object.entries(of).filter(([key, value]) => JSON.stringify(value) !== JSON.stringify(other[key]));
  return list.map(([key, value]) => `${key} ${JSON.stringify(value)}`).join(", ") || "nothing else";
}
