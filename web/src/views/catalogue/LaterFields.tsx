import { useState } from "react";
import { useProgramState } from "../../api/state";
import { isAt } from "../../lib/paths";
import { Add, Out } from "../../ui/blanks";
import { DecimalInput } from "../../ui/decimal-input";
import { FieldError } from "../../ui/states";
import { DayBlank, TimeBlank } from "../../ui/time-blanks";
import {
  emptyLater,
  fromOf,
  inTime,
  laterAmounts,
  laterNamed,
  readLater,
  writeLater,
  type LaterForm,
} from "./product-form";

interface LaterProps {
  later: unknown;
  errors: { path: string; problem: string }[];
  may: boolean;
  onChange: (later: unknown) => void;
}

/** What a product costs from later moments on: each figure stands until a later one takes its place. */
export function LaterFields({ later, errors, may, onChange }: LaterProps) {
  const { data: state } = useProgramState();
  const now = state?.now ?? "";
  const [list, setList] = useState(() => readLater(later));
  const put = (next: LaterForm[]) => {
    setList(next);
    onChange(writeLater(next));
  };
  const change = (i: number, part: Partial<LaterForm>) => put(list.map((f, n) => (n === i ? { ...f, ...part } : f)));
  return (
    <section aria-label="From a later day" className="mt-4">
      <h3 className="border-b pb-1">From a later day</h3>
      {list.map((f, i) => {
        const place = inTime(list).indexOf(f); // in the document
        const at = (key: string) => errors.find((e) => isAt(e.path, `later[${place}]${key}`))?.problem;
        const which = ` of later figures ${i + 1}`;
        return (
          <div key={i} className="border-b border-dotted py-1.5" data-testid="later">
            <p className="flex flex-wrap items-center gap-x-2 gap-y-1">
              from{" "}
              <DayBlank
                timed
                label={`First day${which}`}
                value={f.date}
                now={now}
                readOnly={!may}
                bad={at(".from") !== undefined}
                onChange={(date, time) => change(i, { date, ...(time && { time }) })}
              />
              <TimeBlank
                label={`Time${which}`}
                value={f.time}
                readOnly={!may}
                bad={at(".from") !== undefined}
                onChange={(time) => change(i, { time })}
              />
              {f.date !== "" && fromOf(f) <= now.slice(0, 16) && (
                <span className="text-[13px] text-quiet">holds already</span>
              )}
              {may && (
                <Out label={`Take later figures ${i + 1} out`} onClick={() => put(list.filter((_, n) => n !== i))} />
              )}
              <FieldError>{at(".from")}</FieldError>
            </p>
            <p className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
              {laterAmounts.map(([key, label]) => (
                <label key={key} className="flex items-center gap-2">
                  <span className="text-[13px] text-quiet">{label}</span>
                  <DecimalInput
                    aria-label={`${label}${which}`}
                    aria-invalid={at(`.${key}`) !== undefined}
                    className="field w-24 text-right"
                    placeholder="as before"
                    readOnly={!may}
                    value={f[key]}
                    onChange={(v) => change(i, { [key]: v })}
                  />
                </label>
              ))}
            </p>
            {f.named.map((one, k) => {
              const name = (part: Partial<typeof one>) =>
                change(i, { named: f.named.map((x, n) => (n === k ? { ...x, ...part } : x)) });
              return (
                <p key={k} className="mt-1 flex items-center gap-2">
                  <select
                    aria-label={`Kind of figure ${k + 1}${which}`}
                    className="field"
                    disabled={!may}
                    value={one.kind}
                    onChange={(e) => name({ kind: e.target.value as typeof one.kind })}
                  >
                    {laterNamed.map(([kind, label]) => (
                      <option key={kind} value={kind}>
                        {label}
                      </option>
                    ))}
                  </select>
                  <input
                    aria-label={`Name of figure ${k + 1}${which}`}
                    className="field w-32"
                    readOnly={!may}
                    value={one.key}
                    onChange={(e) => name({ key: e.target.value })}
                  />
                  <DecimalInput
                    aria-label={`Figure ${k + 1}${which}`}
                    className="field w-24 text-right"
                    readOnly={!may}
                    value={one.value}
                    onChange={(value) => name({ value })}
                  />
                  {may && (
                    <Out
                      label={`Take figure ${k + 1}${which} out`}
                      onClick={() => change(i, { named: f.named.filter((_, n) => n !== k) })}
                    />
                  )}
                </p>
              );
            })}
            {may && (
              <p className="mt-1.5">
                <Add onClick={() => change(i, { named: [...f.named, { kind: "levels", key: "", value: "" }] })}>
                  a price level, a further cost or a currency
                </Add>
              </p>
            )}
            <FieldError>{laterAmounts.map(([key]) => at(`.${key}`)).find(Boolean) ?? at("")}</FieldError>
          </div>
        );
      })}
      {may && (
        <p className="mt-1.5">
          <Add onClick={() => put([...list, emptyLater])}>figures from a later day</Add>
        </p>
      )}
      {!may && list.length === 0 && <p className="mt-1 text-quiet">None.</p>}
    </section>
  );
}
