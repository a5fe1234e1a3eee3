import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { copyPlanQuery, type Copies } from "../../api/copies";
import type { EditChange } from "../../api/client";
import { useEdit } from "../../api/edits";
import { useEditImpact } from "../../api/impact";
import { useProgramState } from "../../api/state";
import { count, day, errorText, through } from "../../lib/format";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { SheetClose, SheetDialog } from "../../ui/sheet-dialog";
import { FieldError } from "../../ui/states";

interface Props {
  /** Codes of rules, or the code of a campaign that is copied with all of its rules. */
  of: { rules: string[] } | { campaign: string };
  onClose: () => void;
  onCopied?: () => void;
}

const ways: [Copies["by"], string][] = [
  ["year", "one year on, same weekday"],
  ["week", "a week on"],
  ["days", "by so many days"],
];

/** Copies of rules, or of a campaign, for another time: their dates and names are seen first, with what they would do. */
export function CopyDialog({ of, onClose, onCopied }: Props) {
  const { data: state } = useProgramState();
  const [by, setBy] = useState<Copies["by"]>("year");
  const [days, setDays] = useState("14");
  const [names, setNames] = useState<Record<string, string>>({});
  const whole = /^-?\d{1,4}$/.test(days) && Number(days) !== 0 && Math.abs(Number(days)) <= 4000;
  const { data: plan, error } = useQuery({
    ...copyPlanQuery({ ...of, by, ...(by === "days" && { days: Number(days) }) }),
    enabled: by !== "days" || whole,
  });
  const edit = useEdit();
  const now = state?.now ?? "";
  // What has no dates would hold twice at once; a campaign without them is still wanted for its rules.
  const made = plan?.copies.filter((c) => !c.undated || c.kind === "campaigns") ?? [];
  const left = plan?.copies.filter((c) => c.undated && c.kind === "rules") ?? [];
  const changes: EditChange[] = made.map((c) => ({
    kind: c.kind,
    code: c.code,
    doc: { ...c.doc, name: (names[c.of] ?? c.name).trim() || c.name },
  }));
  const first = made
    .map((c) => c.from ?? "")
    .filter((at) => at > now)
    .sort()[0];
  const effect = useEditImpact(changes.length > 0 ? changes : null, first);
  const rules = made.filter((c) => c.kind === "rules").length;
  const save = () => {
    edit.mutate(
      { changes, summary: `Copied ${rules === 1 ? "a rule" : `${count(rules)} rules`} to another time` },
      {
        onSuccess: () => {
          onClose();
          onCopied?.();
        },
      },
    );
  };
  return (
    <SheetDialog title="Copy to another time" width={720} onClose={onClose}>
      <form
        className="mt-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (changes.length > 0) save();
        }}
      >
        <p className="flex items-center gap-2">
          <select
            aria-label="To which time"
            className="blank"
            value={by}
            onChange={(e) => setBy(ways.find(([key]) => key === e.target.value)?.[0] ?? "year")}
          >
            {ways.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </select>
          {by === "days" && (
            <input
              aria-label="Days to copy by"
              className="blank w-16 text-right"
              inputMode="numeric"
              aria-invalid={!whole}
              value={days}
              onChange={(e) => setDays(e.target.value.trim())}
            />
          )}
          {by === "days" && !whole && <FieldError>Write by how many days, such as 7 or -1.</FieldError>}
        </p>
        <FieldError>{error ? errorText(error) : undefined}</FieldError>
        <ul className="mt-2 border-t" aria-label="What is made">
          {made.map((c) => (
            <li key={c.of + c.kind} className="flex flex-wrap items-baseline gap-x-4 border-b py-1.5" data-copy={c.of}>
              <input
                aria-label={`Name of the copy of ${c.of}`}
                className="blank min-w-64 flex-1"
                value={names[c.of] ?? c.name}
                onChange={(e) => setNames((old) => ({ ...old, [c.of]: e.target.value }))}
              />
              <span className="text-[14px]">
                {c.from || c.to
                  ? `${c.from ? `from ${day(c.from, now)}` : ""} ${c.to ? `through ${through(c.to, now)}` : "without end"}`
                  : c.kind === "campaigns"
                    ? "a campaign without dates"
                    : "with its campaign"}
              </span>
            </li>
          ))}
        </ul>
        {left.length > 0 && (
          <p className="mt-2 text-quiet">
            {left.length === 1 ? "One rule has" : `${count(left.length)} rules have`} no dates that could be moved and{" "}
            {left.length === 1 ? "is" : "are"} not copied: {left.map((c) => c.of).join(", ")}.
          </p>
        )}
        <div className="mt-4 flex items-center gap-2">
          <Button
            look="ink"
            type="submit"
            disabled={changes.length === 0 || edit.isPending || (effect.data?.errors.length ?? 0) > 0}
          >
            {made.length === 1 ? "Make the copy" : `Make ${count(made.length)} copies`}
          </Button>
          <SheetClose asChild>
            <Button>Leave it</Button>
          </SheetClose>
          {edit.error && <FieldError>{errorText(edit.error)}</FieldError>}
        </div>
        {made.length > 0 && (
          <div className="mt-3">
            <EffectNote effect={effect.data} busy={effect.isFetching} now={now} />
            {effect.data?.errors.slice(0, 3).map((e) => (
              <p key={e.path}>
                <FieldError>{`${e.path}: ${e.problem}.`}</FieldError>
              </p>
            ))}
          </div>
        )}
      </form>
    </SheetDialog>
  );
}
