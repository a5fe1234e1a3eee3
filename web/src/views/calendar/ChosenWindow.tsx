import { useState } from "react";
import { Link } from "react-router";
import { useViewpoint } from "../../lib/viewpoint";
import { addressOf, carried } from "../../lib/address";
import type { CalendarBar, CalendarConflict, EditChange, Layer, Rule, Schema } from "../../api/client";
import type { useEdit } from "../../api/edits";
import { useEditImpact } from "../../api/impact";
import { count, day, errorText, through } from "../../lib/format";
import { layerNames } from "../../lib/layers";
import { windowWords } from "../../lib/sentence";
import { CopyDialog } from "../../parts/copies/CopyDialog";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { FieldError } from "../../ui/states";
import type { Ends } from "./Bar";

export type AlongRule = Schema["AlongRule"];

/** The button that keeps a moved window: Enter on a bar goes there where there is something to decide. */
export const keepButton = "keep-moved";

interface ChosenProps {
  bar: CalendarBar;
  campaign: boolean;
  draft: Ends | null;
  changed: EditChange | null;
  /** The rules of a campaign that lie in its days, as they would be if they were taken along. */
  along: AlongRule[];
  at: string;
  now: string;
  may: boolean;
  conflicts: CalendarConflict[];
  name: (code: string) => string;
  edit: ReturnType<typeof useEdit>;
  onKeep: (along: AlongRule[]) => void;
  onLeave: () => void;
}

/** The chosen window in words, and what moving it would do. */
export function ChosenWindow({
  bar,
  campaign,
  draft,
  changed,
  along,
  at,
  now,
  may,
  conflicts,
  name,
  edit,
  onKeep,
  onLeave,
}: ChosenProps) {
  const { params } = useViewpoint();
  const [copying, setCopying] = useState(false);
  const taken = along.map((r) => ({ kind: "rules" as const, code: r.code, etag: r.etag, doc: r.doc }));
  const effect = useEditImpact(changed ? [changed, ...taken] : null, at);
  const window = (bar.doc as { window?: Rule["window"] }).window;
  const to = campaign
    ? addressOf("/catalogue/campaigns", params, { item: bar.code })
    : `/stack/rule/${encodeURIComponent(bar.code)}${carried(params)}`;
  return (
    <section aria-label="Chosen window" className="border-b pb-3">
      <h2 className="text-[16px] leading-snug">{bar.name}</h2>
      <p className="text-quiet">
        {campaign ? "campaign" : layerNames[bar.layer as Layer]}
        {bar.status !== "on" && `, ${bar.status}`}
      </p>
      <p className="mt-1">{windowWords(window, now)}</p>
      {bar.campaign && <p className="text-quiet">with the campaign {bar.campaign}</p>}
      {!window?.from && !window?.to && <p className="text-quiet">It has no end of its own that could be moved.</p>}
      <p className="mt-1 flex flex-wrap gap-x-4">
        <Link className="underline underline-offset-2" to={to}>
          {campaign ? "Open the campaign" : "Open in the editor"}
        </Link>
        {may && (
          <button type="button" className="underline underline-offset-2" onClick={() => setCopying(true)}>
            Copy to another time
          </button>
        )}
      </p>
      {conflicts.map((f) => (
        <p key={f.a + f.b} className="mt-2 text-bad">
          Conflicts with <b>{name(f.a === bar.code ? f.b : f.a)}</b> over {count(f.goods)}{" "}
          {f.goods === 1 ? "product" : "products"}: both have the same rank, so the lower price wins.
        </p>
      ))}
      {draft && changed && (
        <div className="mt-3 rounded-[4px] border-2 border-ink px-3 py-2" data-testid="moved">
          <p className="font-medium">
            {draft.from ? `from ${day(draft.from, now)}` : "from the beginning"}{" "}
            {draft.to ? `through ${through(draft.to, now)}` : "without end"}
          </p>
          {along.length > 0 && (
            <p className="mt-1 text-[14px]">
              {along.length === 1 ? "One of its rules lies" : `${count(along.length)} of its rules lie`} in its days:{" "}
              {along
                .slice(0, 4)
                .map((r) => r.name)
                .join(", ")}
              {along.length > 4 && " …"}. What is told below is with {along.length === 1 ? "it" : "them"}.
            </p>
          )}
          <div className="mt-2 flex flex-wrap gap-2">
            <Button
              id={keepButton}
              look="ink"
              disabled={!may || edit.isPending || (effect.data?.errors.length ?? 0) > 0}
              onClick={() => onKeep(along)}
            >
              {along.length === 0 ? "Keep it" : along.length === 1 ? "Keep, with its rule" : "Keep, with its rules"}
            </Button>
            {along.length > 0 && (
              <Button disabled={!may || edit.isPending} onClick={() => onKeep([])}>
                Keep the campaign alone
              </Button>
            )}
            <Button onClick={onLeave}>Put it back</Button>
          </div>
          <div className="mt-2 text-[14px]">
            <EffectNote effect={effect.data} busy={effect.isFetching} now={now} />
            {effect.data?.errors.slice(0, 3).map((e) => (
              <p key={e.path}>
                <FieldError>
                  {e.path}: {e.problem}
                </FieldError>
              </p>
            ))}
          </div>
          {edit.error && <FieldError>{errorText(edit.error)}</FieldError>}
        </div>
      )}
      {copying && (
        <CopyDialog of={campaign ? { campaign: bar.code } : { rules: [bar.code] }} onClose={() => setCopying(false)} />
      )}
    </section>
  );
}
