import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { amountsImpactQuery, saveAmounts } from "../../api/bulk";
import { filterQuery } from "../../api/board";
import { useSave } from "../../api/saving";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import type { BoardFilter } from "../../lib/address";
import { Problem, type BulkForm } from "../../api/client";
import { amount, count, counted, errorText, moment } from "../../lib/format";
import { SheetClose, SheetDialog } from "../../ui/sheet-dialog";
import { Button } from "../../ui/button";
import { BrokenChecks } from "../../ui/broken-checks";
import { FieldError } from "../../ui/states";
import { DayBlank, TimeBlank } from "../../ui/time-blanks";
import { DecimalInput } from "../../ui/decimal-input";

interface Props {
  viewpoint: Viewpoint;
  filter: BoardFilter;
  /** Only these; null: all that the filter leaves. */
  skus: string[] | null;
  total: number;
  onClose: () => void;
}

const hows: [BulkForm["how"], string][] = [
  ["percentOn", "% up"],
  ["percentOff", "% down"],
  ["amountOn", "up by"],
  ["amountOff", "down by"],
  ["set", "set to"],
];

/** List prices or costs of many products at once, seen before it is saved, and taken back as one. */
export function BulkDialog({ viewpoint, filter, skus, total, onClose }: Props) {
  const [form, setForm] = useState<BulkForm>({ field: "list", how: "percentOn", value: "" });
  const change = (part: Partial<BulkForm>) => setForm((old) => ({ ...old, ...part }));
  const [day, setDay] = useState<{ date: string; time: string } | null>(null);
  const { data: state } = useProgramState();
  const from = day && `${day.date}T${day.time || "00:00"}`;
  const body: BulkForm = { ...form, ...(from && { from }), ...(skus && { skus }) };
  const query = filterQuery(viewpoint, filter);
  const preview = useQuery({
    ...amountsImpactQuery(query, body),
    enabled: form.value.trim() !== "" && day?.date !== "",
  });
  const save = useSave((_: void, seen) => saveAmounts({ query, body }, seen));
  const problem = preview.error ?? save.error;
  const at = (place: string) =>
    problem instanceof Problem ? problem.details.find((d) => d.location === place)?.message : undefined;
  const p = preview.data;
  return (
    <SheetDialog
      title={
        <>
          Change list prices or costs of{" "}
          {skus ? counted(skus.length, "chosen product") : `all ${counted(total, "shown product")}`}
        </>
      }
      width={700}
      onClose={onClose}
    >
      <p className="mt-3 text-[16px] leading-8">
        <select
          aria-label="What changes"
          className="blank"
          value={form.field}
          onChange={(e) => change({ field: e.target.value as BulkForm["field"] })}
        >
          <option value="list">List price</option>
          <option value="cost">Cost</option>
          <option value="rrp">Recommended price</option>
          <option value="map">Lowest advertised price</option>
        </select>{" "}
        <select
          aria-label="How it changes"
          className="blank"
          value={form.how}
          onChange={(e) => change({ how: e.target.value as BulkForm["how"] })}
        >
          {hows.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>{" "}
        <DecimalInput
          aria-label="By how much"
          className="blank w-20 text-right"
          autoFocus
          placeholder="…"
          aria-invalid={at("value") !== undefined}
          value={form.value}
          onChange={(v) => change({ value: v.trim() })}
        />
        , rounded{" "}
        <select
          aria-label="Direction of the ending"
          className="blank"
          value={form.step ? (form.direction ?? "nearest") : ""}
          onChange={(e) =>
            e.target.value === ""
              ? change({ step: undefined, direction: undefined, shift: undefined })
              : change({ step: form.step ?? "1", direction: e.target.value as "up", shift: form.shift ?? "-0.05" })
          }
        >
          <option value="">to the cent</option>
          <option value="nearest">to the nearest multiple of</option>
          <option value="up">up to a multiple of</option>
          <option value="down">down to a multiple of</option>
        </select>{" "}
        {form.step !== undefined && (
          <>
            <DecimalInput
              aria-label="Step"
              className="blank w-14 text-right"
              aria-invalid={at("step") !== undefined}
              value={form.step}
              onChange={(v) => change({ step: v.trim() })}
            />{" "}
            moved by{" "}
            <DecimalInput
              aria-label="Shift"
              className="blank w-16 text-right"
              aria-invalid={at("shift") !== undefined}
              value={form.shift ?? ""}
              onChange={(v) => change({ shift: v.trim() })}
            />
          </>
        )}
        ,{" "}
        <select
          aria-label="When it changes"
          className="blank"
          value={day === null ? "now" : "later"}
          onChange={(e) => setDay(e.target.value === "now" ? null : { date: "", time: "00:00" })}
        >
          <option value="now">at once</option>
          <option value="later">from</option>
        </select>{" "}
        {day !== null && (
          <>
            <DayBlank
              timed
              label="First day of the new amounts"
              value={day.date}
              now={state?.now ?? ""}
              bad={at("from") !== undefined}
              onChange={(date, time) => setDay({ date, time: time ?? day.time })}
            />{" "}
            <TimeBlank
              label="Time of the new amounts"
              value={day.time}
              bad={at("from") !== undefined}
              onChange={(time) => setDay({ ...day, time })}
            />
          </>
        )}
      </p>
      <FieldError>{problem ? errorText(problem) : undefined}</FieldError>
      {p && form.value !== "" && !preview.error && (
        <>
          <p className="mt-2" data-testid="bulk-preview">
            <b>{count(p.changed)}</b> of {count(p.reached)} change
            {p.missing > 0 && `, ${count(p.missing)} have none and stay`}; <b>{count(p.moved)}</b> prices move
            {from && ` on ${moment(from, state?.now)}`}
            {p.below > 0 && <span className="font-semibold text-bad">, {count(p.below)} come to lie below cost</span>}
          </p>
          <BrokenChecks checks={p.checks} />
          <table className="mt-2 w-full">
            <tbody>
              {p.sample.map((c) => (
                <tr key={c.sku} className="border-t border-dotted">
                  <td className="max-w-[320px] truncate py-0.5">{c.name || c.sku}</td>
                  <td className="text-right text-quiet">{amount(c.before || null)}</td>
                  <td className="pl-3 text-right font-medium">{amount(c.after)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <div className="mt-4 flex gap-2">
        <Button
          look="ink"
          disabled={
            !p ||
            day?.date === "" ||
            p.changed === 0 ||
            preview.isPlaceholderData ||
            save.isPending ||
            form.value === ""
          }
          onClick={() => save.mutate(undefined, { onSuccess: onClose })}
        >
          Save {p ? count(p.changed) : ""} amounts
        </Button>
        <SheetClose asChild>
          <Button>Leave it</Button>
        </SheetClose>
      </div>
    </SheetDialog>
  );
}
