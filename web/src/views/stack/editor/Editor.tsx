import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ConflictNote, FoundNote } from "../../../ui/draft-notes";
import { useDraft } from "../../../lib/draft";
import { makeRule, rulesQuery, saveRule } from "../../../api/rules";
import { useItems } from "../../../api/items";
import { useImpact } from "../../../api/impact";
import { refresh, useSave } from "../../../api/saving";
import { useMay } from "../../../api/session";
import { useProgramState } from "../../../api/state";
import { carried } from "../../../lib/address";
import { useViewpoint } from "../../../lib/viewpoint";
import { Problem, type Demand, type Rule } from "../../../api/client";
import { useKeys } from "../../../lib/keys";
import { layerNames } from "../../../lib/layers";
import { useNames } from "../../../lib/names";
import { sentenceText } from "../../../lib/sentence";
import { Button } from "../../../ui/button";
import { Confirm } from "../../../ui/confirm";
import { LayerMark } from "../../../ui/layer-mark";
import { FieldError } from "../../../ui/states";
import { useNotices } from "../../../ui/toasts";
import { ImpactPanel } from "./ImpactPanel";
import { TrialPanel } from "./TrialPanel";
import { PublicTexts } from "./PublicTexts";
import { SelectionBuilder } from "../../../parts/rule/SelectionBuilder";
import { SentenceControls } from "./SentenceControls";
import { lacksOf } from "../../../parts/rule/offer-form";
import { codeFrom, errorsOf, keptIn, placeOf, readForm, writeForm, type Form } from "../../../parts/rule/form";

interface Props {
  /** Names what is written, for what survives a reload. */
  draftKey: string;
  start: Form;
  /** The state of the saved rule that this is based on; "" for a new rule. */
  etag: string;
  saved: string;
  codes: Set<string>;
  /** It was begun as a copy of another. */
  copied?: boolean;
}

/** A rule as a sentence with controls; beside it what it would do to the whole catalogue, while it is written. */
export function Editor({ draftKey, start, etag, saved, codes, copied = false }: Props) {
  // What an earlier program left lacks what has come to a rule's form since.
  const revive = (left: Form): Form => ({ ...start, ...left });
  const draft = useDraft<Form, Rule>(draftKey, start, etag, (a, b) => same(writeForm(a), writeForm(b)), revive);
  const form = draft.value;
  const { theirs, dirty } = draft;
  const may = useMay("manager");
  const [tried, setTried] = useState(false);
  const { viewpoint, params } = useViewpoint();
  const { data: state } = useProgramState();
  const navigate = useNavigate();
  const client = useQueryClient();
  const isNew = saved === "";
  const { setSpread } = useNotices();
  const linked = state?.channels.some((c) => c.linked) ?? false;
  // A new rule's code follows its name until it is written by hand.
  const [ownCode, setOwnCode] = useState(!isNew);
  const code = ownCode ? form.code : form.name.trim() ? codeFrom(form.name, codes) : "";
  const rule = writeForm({ ...form, code });
  const impact = useImpact(viewpoint, rule, saved);
  const change = (part: Partial<Form>) => {
    draft.set((old) => ({ ...old, ...part }));
  };
  const back = (focus: string) => {
    draft.forget();
    void navigate("/stack" + carried(params), { state: { focus } });
  };
  const save = useSave(
    (_: void, seen) => (isNew ? makeRule(rule, seen) : saveRule({ code: saved, etag: draft.etag, rule }, seen)),
    () => back(code),
  );
  const found = errorsOf(form, impact.data?.errors ?? []);
  const local = errorsOf(form, []);
  if (isNew && form.name.trim() === "") found.set("name", "Give the rule a name.");
  if (isNew && code !== "" && codes.has(code)) found.set("code", "A rule with this code exists already.");
  const refused = save.error instanceof Problem && save.error.status !== 412 ? save.error : null;
  for (const d of refused?.details ?? [])
    if (!found.has(placeOf(d.location))) found.set(placeOf(d.location), d.message);
  // Blanks that nobody has come to yet are not reproached before the first try to save.
  const errors = new Map([...found].filter(([place]) => tried || !untouched(place, form)));
  const [asking, setAsking] = useState(false);
  const { data: campaigns } = useItems("campaigns");
  const campaign = campaigns?.find((c) => c.code === form.campaign)?.doc;
  const forEveryone = form.layer === "group" && !rule.audience && !campaign?.audience;
  const submit = (meant = false) => {
    setTried(true);
    // What the core said of an earlier state keeps nobody from saving this one: saving says it anew.
    const own = [...found.keys()].filter(
      (place) => !impact.stale || local.has(place) || place === "name" || place === "code",
    );
    if (own.length > 0) return;
    if (forEveryone && dirty && !meant) {
      setAsking(true);
      return;
    }
    save.mutate(undefined, { onError: draft.refused });
  };
  const latest = async () => {
    await refresh(client);
    return (await client.query(rulesQuery)).find((r) => r.rule.code === saved);
  };
  const takeTheirs = async () => {
    const row = theirs ? await latest() : undefined;
    if (theirs && row) draft.restart(readForm(theirs), row.etag);
    else back("");
  };
  const keepMine = async () => {
    const row = await latest();
    if (row) draft.rebase(row.etag);
  };
  // A price that a channel would accept becomes the rule's as an ending on whole amounts; other values as they are.
  const takeValue = (d: Demand, value: string) => {
    if (d.kind === "limit-whole-units") {
      const up = Number(value) > Number(d.have ?? value);
      change({ ends: true, step: "1", shift: "", direction: up ? "up" : "down" });
    } else if (d.kind === "limit-lead-time") {
      change({ fromDate: value.slice(0, 10), fromTime: value.slice(11, 16) });
    } else {
      change({ effect: { ...form.effect, value } });
    }
  };
  useKeys({ "ctrl+enter": () => submit() });
  const names = useNames();
  return (
    <form
      className="flex h-full min-h-0"
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="min-h-0 flex-1 overflow-y-auto px-6 pt-4 pb-8">
          <div className="mx-auto max-w-[820px]">
            <div className="flex items-center gap-2 text-quiet">
              <LayerMark layer={form.layer} size={13} />
              <span>
                {isNew ? "New rule" : saved} in the {layerNames[form.layer].toLowerCase()} layer
              </span>
            </div>
            <input
              aria-label="Name"
              aria-invalid={errors.has("name")}
              autoFocus={isNew}
              placeholder="Name of the rule"
              className="mt-0.5 w-full border-b-2 border-ink/25 bg-transparent pb-0.5 text-[21px] font-semibold outline-none focus:border-ink"
              value={form.name}
              onChange={(e) => change({ name: e.target.value })}
            />
            <FieldError>{errors.get("name")}</FieldError>
            {theirs !== undefined && (
              <ConflictNote
                one="rule"
                deleted={theirs === null}
                theirs={theirs && `${theirs.name ?? theirs.code}. ${sentenceText(theirs, names, state?.now)}`}
                yours={`${rule.name ?? rule.code}. ${sentenceText(rule, names, state?.now)}`}
                onTake={() => void takeTheirs()}
                onKeep={() => void keepMine()}
              />
            )}
            {draft.found && (
              <FoundNote
                onRestart={() => {
                  draft.restart(start, etag);
                }}
              />
            )}
            {copied && <Copied form={form} change={change} />}
            <SentenceControls
              key={draft.round}
              form={form}
              errors={errors}
              found={impact.data?.errors ?? []}
              tried={tried}
              change={change}
            />
            <div className="mt-3">
              <SelectionBuilder
                {...(form.how === "offer" && { title: "Which goods may take part at all" })}
                selection={form.selection}
                onChange={(selection) => change({ selection })}
              />
              <FieldError>{errors.get("where")}</FieldError>
            </div>
            <PublicTexts form={form} errors={errors} change={change} />
            <div className="mt-4 grid grid-cols-[1fr_220px] gap-3">
              <label className="block">
                <span className="text-[12px] text-quiet">Note for colleagues</span>
                <textarea
                  className="field block h-14 w-full"
                  value={form.note}
                  onChange={(e) => change({ note: e.target.value })}
                />
              </label>
              <label className="block">
                <span className="text-[12px] text-quiet">Code{isNew ? "" : " (stays as it is)"}</span>
                <input
                  className="field block w-full disabled:opacity-60"
                  disabled={!isNew}
                  aria-invalid={errors.has("code")}
                  value={code}
                  onChange={(e) => {
                    setOwnCode(true);
                    change({ code: e.target.value });
                  }}
                />
                <FieldError>{errors.get("code")}</FieldError>
              </label>
            </div>
            <Kept form={form} />
            <FieldError>{errors.get("other")}</FieldError>
          </div>
        </div>
        <div className="flex shrink-0 flex-wrap items-center gap-2 border-t bg-paper px-6 py-2">
          <Button look="ink" type="submit" disabled={save.isPending || !may}>
            {isNew ? "Save the rule" : "Save the change"}
          </Button>
          <Button onClick={() => back(saved)}>{dirty ? "Leave without saving" : "Back to the stack"}</Button>
          {may && !isNew && !dirty && linked && (
            <Button onClick={() => setSpread({ piece: `rule ${saved}` })}>Send everywhere …</Button>
          )}
          <span className="text-quiet">
            {may ? "" : "You may look and try, not save. "}Saved rules show on the board at once, in the channels when
            published.
          </span>
          {refused && (
            <span role="alert" className="ml-auto font-medium text-bad">
              {refused.message}
            </span>
          )}
          {tried && found.size > 0 && (
            <span role="alert" className="ml-auto font-medium text-bad">
              {found.size === 1 ? "One thing is" : `${found.size} things are`} missing or wrong above.
            </span>
          )}
        </div>
      </div>
      {asking && (
        <Confirm
          title="This rule is for everyone"
          yes="Save it for everyone"
          no="Choose for whom"
          onAnswer={(yes) => {
            setAsking(false);
            if (yes) submit(true);
          }}
        >
          It stands among the group terms and says nothing of for whom: every buyer would get it.
        </Confirm>
      )}
      {form.how === "offer" || form.how === "order" ? (
        <TrialPanel rule={rule} replaces={saved} blocked={found.size > 0} />
      ) : (
        <ImpactPanel
          impact={impact.data}
          error={impact.error}
          stale={impact.stale}
          blocked={found.size > 0}
          rule={rule}
          replaces={saved}
          onTake={takeValue}
        />
      )}
    </form>
  );
}

const noTexts: Form["show"] = { label: "", message: "", badge: "", image: "", alt: "", terms: "", as: "" };

/** What a copy has of the rule that it was made of, and that often belongs to that one alone. */
function Copied({ form, change }: { form: Form; change: (part: Partial<Form>) => void }) {
  const [kept, setKept] = useState(false);
  const codes = form.how === "offer" ? (form.offer.codes?.words ?? "").trim() : "";
  const texts = Object.entries(form.show).flatMap(([key, text]) =>
    text && key !== "as" && key !== "alt" ? [text] : [],
  );
  if (kept || (codes === "" && texts.length === 0)) return null;
  return (
    <div role="status" className="mt-2 rounded-[4px] border border-ink/30 px-3 py-1.5" data-testid="copied">
      The copy has, as the rule that it was made of:
      {codes && (
        <p>
          the code <b>{codes}</b>, with which a customer gets both.{" "}
          <Button
            onClick={() =>
              form.offer.codes && change({ offer: { ...form.offer, codes: { ...form.offer.codes, words: "" } } })
            }
          >
            Take the code out
          </Button>
        </p>
      )}
      {texts.length > 0 && (
        <p>
          the public texts “{texts.join("”, “")}”.{" "}
          <Button onClick={() => change({ show: noTexts })}>Take the texts out</Button>
        </p>
      )}
      <Button look="bare" onClick={() => setKept(true)}>
        Keep what is left
      </Button>
    </div>
  );
}

/** What no control above shows, so that nobody takes the sentence for all of it. */
function Kept({ form }: { form: Form }) {
  const kept = keptIn(form);
  if (kept.length === 0) return null;
  return (
    <div className="mt-3 rounded-[4px] border border-ink/30 px-3 py-1.5">
      This rule also says what no control here shows. It stays as it is, whatever else is changed:
      <ul className="mt-0.5 list-disc pl-5 text-[14px]">
        {kept.map(({ words, value }, i) => (
          <li key={i}>
            {words}: <code className="break-all">{JSON.stringify(value)}</code>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Whether a control was not come to yet. */
function untouched(place: string, f: Form): boolean {
  return (
    (place === "name" && f.name === "") ||
    (place === "code" && f.name === "") ||
    (place === "effect" && f.effect.value === "") ||
    (place === "breaks" && f.breaks.some((b) => b.effect.value === "")) ||
    (place === "ladder" && f.ladder === "") ||
    (place === "offer" && lacksOf(f.offer).size > 0) ||
    place === "order" ||
    (place === "where" && f.selection.root.parts.length === 0 && !f.selection.everything)
  );
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
