import { useProgramState } from "../../../api/queries";
import { layerNames } from "../../../lib/layers";
import { FieldError } from "../../../ui/states";
import type { EffectKey, Form, Place } from "./form";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
}

const effects: [EffectKey, string][] = [
  ["percentOff", "% off"],
  ["percentOn", "% on top"],
  ["amountOff", "off each"],
  ["amountOn", "on top of each"],
  ["setPrice", "as the price"],
];

/** The sentence of the editor: every underlined part is a control. */
export function SentenceControls({ form, errors, change }: Props) {
  const { data: state } = useProgramState();
  const bad = (p: Place) => errors.has(p) || undefined;
  return (
    <div className="mt-3 space-y-2 text-[16px] leading-8">
      <p>
        In the{" "}
        <select
          aria-label="Layer"
          className="blank"
          value={form.layer}
          onChange={(e) => change({ layer: e.target.value as Form["layer"] })}
        >
          {(state?.layers ?? []).map((l) => (
            <option key={l.layer} value={l.layer}>
              {layerNames[l.layer as Form["layer"]].toLowerCase()}
            </option>
          ))}
        </select>{" "}
        layer at rank{" "}
        <input
          aria-label="Rank"
          inputMode="numeric"
          className="blank w-10 text-center"
          aria-invalid={bad("rank")}
          value={form.rank}
          onChange={(e) => change({ rank: e.target.value })}
        />
        {form.effect === "other" ? (
          <span>, an effect that is kept as it is, </span>
        ) : (
          <>
            :{" "}
            <input
              aria-label="How much"
              inputMode="decimal"
              placeholder="…"
              className="blank w-20 text-right"
              aria-invalid={bad("effect")}
              value={form.value}
              onChange={(e) => change({ value: e.target.value })}
            />{" "}
            <select
              aria-label="Effect"
              className="blank"
              value={form.effect}
              onChange={(e) => change({ effect: e.target.value as EffectKey })}
            >
              {effects.map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </select>{" "}
          </>
        )}
        <FieldError>{errors.get("effect") ?? errors.get("rank")}</FieldError>
      </p>
      <p>
        {form.step.trim() === "" ? (
          <button
            type="button"
            className="text-[14px] text-quiet underline underline-offset-2"
            onClick={() => change({ step: "1", direction: "up", shift: "-0.05" })}
          >
            Give the price an ending
          </button>
        ) : (
          <>
            rounded{" "}
            <select
              aria-label="Direction of the ending"
              className="blank"
              value={form.direction}
              onChange={(e) => change({ direction: e.target.value as Form["direction"] })}
            >
              <option value="up">up to a multiple of</option>
              <option value="down">down to a multiple of</option>
              <option value="nearest">to the nearest multiple of</option>
            </select>{" "}
            <input
              aria-label="Step of the ending"
              className="blank w-14 text-right"
              aria-invalid={bad("ending")}
              value={form.step}
              onChange={(e) => change({ step: e.target.value })}
            />{" "}
            and then moved by{" "}
            <input
              aria-label="Shift of the ending"
              className="blank w-16 text-right"
              placeholder="0"
              aria-invalid={bad("ending")}
              value={form.shift}
              onChange={(e) => change({ shift: e.target.value })}
            />{" "}
            <button
              type="button"
              className="text-[14px] text-quiet underline underline-offset-2"
              onClick={() => change({ step: "", shift: "", direction: "nearest" })}
            >
              no ending
            </button>{" "}
          </>
        )}
        <FieldError>{errors.get("ending")}</FieldError>
      </p>
      <p>
        in{" "}
        <select
          aria-label="In which channels"
          className="blank"
          value={form.channels ? "some" : "every"}
          onChange={(e) => change({ channels: e.target.value === "some" ? [] : null })}
        >
          <option value="every">every channel</option>
          <option value="some">these channels only</option>
        </select>
        {form.channels && (
          <span className="ml-2 inline-flex gap-3 text-[14px]">
            {(state?.channels ?? []).map((c) => (
              <label key={c.code} className="inline-flex items-center gap-1.5">
                <input
                  type="checkbox"
                  className="accent-ink"
                  checked={form.channels?.includes(c.code) ?? false}
                  onChange={(e) =>
                    change({
                      channels: e.target.checked
                        ? [...(form.channels ?? []), c.code]
                        : (form.channels ?? []).filter((x) => x !== c.code),
                    })
                  }
                />
                {c.name}
              </label>
            ))}
          </span>
        )}{" "}
        for lines of at least{" "}
        <input
          aria-label="Least quantity"
          inputMode="numeric"
          className="blank w-12 text-center"
          aria-invalid={bad("minQuantity")}
          value={form.minQuantity}
          onChange={(e) => change({ minQuantity: e.target.value })}
        />{" "}
        <FieldError>{errors.get("channels") ?? errors.get("minQuantity")}</FieldError>
      </p>
      <p>
        from{" "}
        <DateTime
          label="From"
          date={form.fromDate}
          time={form.fromTime}
          blankDate="now on"
          bad={bad("from")}
          onChange={(fromDate, fromTime) => change({ fromDate, fromTime })}
        />{" "}
        through{" "}
        <DateTime
          label="Through"
          date={form.toDate}
          time={form.toTime}
          blankDate="no end"
          blankTime="day's end"
          bad={bad("to")}
          onChange={(toDate, toTime) => change({ toDate, toTime })}
        />{" "}
        <FieldError>{errors.get("from") ?? errors.get("to")}</FieldError>
      </p>
      <p>
        and this rule is{" "}
        <select
          aria-label="State of the rule"
          className="blank"
          value={form.status}
          onChange={(e) => change({ status: e.target.value as Form["status"] })}
        >
          <option value="on">on</option>
          <option value="off">off</option>
          <option value="draft">a draft</option>
        </select>
        .
      </p>
    </div>
  );
}

interface DateTimeProps {
  label: string;
  date: string;
  time: string;
  blankDate: string;
  blankTime?: string;
  bad: boolean | undefined;
  onChange: (date: string, time: string) => void;
}

/** A date, and a time of day where it is not midnight; both may be left blank. */
const DateTime = ({ label, date, time, blankDate, blankTime = "0:00", bad, onChange }: DateTimeProps) => (
  <>
    <input
      aria-label={`${label} date`}
      placeholder={blankDate}
      title="year-month-day, such as 2026-11-27"
      className="blank w-[104px]"
      aria-invalid={bad}
      value={date}
      onChange={(e) => onChange(e.target.value.trim(), time)}
    />
    <input
      aria-label={`${label} time`}
      placeholder={blankTime}
      title="hours:minutes, such as 09:00"
      className="blank ml-1 w-[74px]"
      aria-invalid={bad}
      value={time}
      onChange={(e) => onChange(date, e.target.value.trim())}
    />
  </>
);
