import { useState } from "react";
import { useProgramState } from "../../api/state";
import { useItems } from "../../api/items";
import { Add, Choice, Out } from "../../ui/blanks";
import { DayBlank, TimeBlank, YearDayBlank } from "../../ui/time-blanks";
import { FieldError } from "../../ui/states";
import type { Form, Place } from "./form";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
  /** Of a campaign itself, which is in no other. */
  campaign?: boolean;
}

const weekdays = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
const upper = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);

/** When: dates, weekdays and hours, spans of each week or year, and the campaign. */
export function WhenControl({ form, errors, change, campaign = false }: Props) {
  const { data: campaigns } = useItems("campaigns");
  const { data: state } = useProgramState();
  const [days, setDays] = useState(form.days.length > 0 || form.hoursFrom !== "");
  const [weekly, setWeekly] = useState(form.weeklyFrom !== "");
  const [yearly, setYearly] = useState(form.yearlyFrom !== "");
  const bad = (p: Place) => errors.has(p) || undefined;
  return (
    <>
      <p>
        from{" "}
        <DateTime
          label="From"
          date={form.fromDate}
          time={form.fromTime}
          blankDate="now on"
          now={state?.now ?? ""}
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
          now={state?.now ?? ""}
          bad={bad("to")}
          onChange={(toDate, toTime) => change({ toDate, toTime })}
        />{" "}
        <FieldError>{errors.get("from") ?? errors.get("to")}</FieldError>
      </p>
      {days && (
        <p>
          on{" "}
          {weekdays.map((d) => (
            <label key={d} className="mr-2 inline-flex items-center gap-1 text-[14px]">
              <input
                type="checkbox"
                className="accent-ink"
                checked={form.days.includes(d)}
                onChange={(e) =>
                  change({
                    days: weekdays.filter((x) => (x === d ? e.target.checked : form.days.includes(x))),
                  })
                }
              />
              {upper(d)}
            </label>
          ))}{" "}
          between{" "}
          <TimeBlank
            label="Hours from"
            placeholder="0:00"
            bad={bad("hours")}
            value={form.hoursFrom}
            onChange={(hoursFrom) => change({ hoursFrom })}
          />{" "}
          and{" "}
          <TimeBlank
            label="Hours to"
            placeholder="24:00"
            bad={bad("hours")}
            value={form.hoursTo}
            onChange={(hoursTo) => change({ hoursTo })}
          />
          <Out
            label="Every day and hour"
            onClick={() => {
              setDays(false);
              change({ days: [], hoursFrom: "", hoursTo: "" });
            }}
          />{" "}
          <FieldError>{errors.get("hours") ?? errors.get("days")}</FieldError>
        </p>
      )}
      {weekly && (
        <p>
          each week from{" "}
          <WeekMoment
            label="Week from"
            value={form.weeklyFrom}
            bad={bad("weekly")}
            onChange={(weeklyFrom) => change({ weeklyFrom })}
          />{" "}
          to{" "}
          <WeekMoment
            label="Week to"
            value={form.weeklyTo}
            bad={bad("weekly")}
            onChange={(weeklyTo) => change({ weeklyTo })}
          />
          <Out
            label="No weekly span"
            onClick={() => {
              setWeekly(false);
              change({ weeklyFrom: "", weeklyTo: "" });
            }}
          />{" "}
          <FieldError>{errors.get("weekly")}</FieldError>
        </p>
      )}
      {yearly && (
        <p>
          each year from{" "}
          <YearDayBlank
            label="Year from"
            placeholder="1 Mar"
            bad={bad("yearly")}
            value={form.yearlyFrom}
            onChange={(yearlyFrom) => change({ yearlyFrom })}
          />{" "}
          through{" "}
          <YearDayBlank
            last
            label="Year through"
            placeholder="15 May"
            bad={bad("yearly")}
            value={form.yearlyTo}
            onChange={(yearlyTo) => change({ yearlyTo })}
          />
          <Out
            label="No yearly span"
            onClick={() => {
              setYearly(false);
              change({ yearlyFrom: "", yearlyTo: "" });
            }}
          />{" "}
          <FieldError>{errors.get("yearly")}</FieldError>
        </p>
      )}
      <p className="flex flex-wrap items-center gap-x-1.5">
        {!campaign && (
          <>
            in the campaign{" "}
            <Choice
              label="Campaign"
              bad={bad("campaign")}
              value={form.campaign}
              options={[["", "none"] as const, ...(campaigns ?? []).map((c) => [c.code, c.name || c.code] as const)]}
              onChange={(campaign) => change({ campaign })}
            />{" "}
          </>
        )}
        {!days && <Add onClick={() => setDays(true)}>weekdays and hours</Add>}
        {!weekly && (
          <Add
            onClick={() => {
              setWeekly(true);
              change({ weeklyFrom: "fri 18:00", weeklyTo: "mon 08:00" });
            }}
          >
            weekly span
          </Add>
        )}
        {!yearly && <Add onClick={() => setYearly(true)}>yearly span</Add>}
      </p>
    </>
  );
}

/** "fri 18:00" as a weekday and a time. */
function WeekMoment({
  label,
  value,
  bad,
  onChange,
}: {
  label: string;
  value: string;
  bad: boolean | undefined;
  onChange: (v: string) => void;
}) {
  const [day = "mon", time = ""] = value.split(" ");
  return (
    <>
      <Choice
        label={`${label}, day`}
        value={day}
        options={weekdays.map((d) => [d, upper(d)] as const)}
        onChange={(d) => onChange(`${d} ${time}`)}
      />{" "}
      <TimeBlank label={`${label}, time`} bad={bad} value={time} onChange={(t) => onChange(`${day} ${t.trim()}`)} />
    </>
  );
}

interface DateTimeProps {
  label: string;
  date: string;
  time: string;
  blankDate: string;
  blankTime?: string;
  now: string;
  bad: boolean | undefined;
  onChange: (date: string, time: string) => void;
}

/** A date, and a time of day where it is not midnight; both may be left blank. */
const DateTime = ({ label, date, time, blankDate, blankTime = "0:00", now, bad, onChange }: DateTimeProps) => (
  <>
    <DayBlank
      timed
      label={`${label} date`}
      placeholder={blankDate}
      bad={bad}
      value={date}
      now={now}
      onChange={(v, at = time) => onChange(v, at)}
    />{" "}
    <TimeBlank
      label={`${label} time`}
      placeholder={blankTime}
      className="w-[74px]"
      bad={bad}
      value={time}
      onChange={(v) => onChange(date, v.trim())}
    />
  </>
);
