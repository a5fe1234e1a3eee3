import { useState } from "react";
import { Choice } from "./blanks";
import { TimeBlank } from "./time-blanks";
import { FieldError } from "./states";

/** The hours from and until which a day of a hire is free, as the book's document has them. */
export interface HireTimes {
  freeFirstDayFrom?: string;
  freeLastDayUntil?: string;
}

interface Props {
  /** Absent: what lies above decides. */
  value: HireTimes | undefined;
  /** What decides where nothing is said here; absent: then no day is free. */
  above?: string;
  error?: string | undefined;
  onChange: (value: HireTimes | undefined) => void;
}

/** Usual hours to begin with: after closing, and before opening. */
const usual: HireTimes = { freeFirstDayFrom: "17:30", freeLastDayUntil: "09:30" };

/** When the days of collection and return of a hire are free. */
export function HireHours({ value, above, error, onChange }: Props) {
  const free = value?.freeFirstDayFrom !== undefined || value?.freeLastDayUntil !== undefined;
  // Hours stay on the page while one is emptied to be written anew.
  const [written, setWritten] = useState(free);
  const how = free || (written && value !== undefined) ? "own" : value === undefined ? "above" : "none";
  const hour = (key: keyof HireTimes, label: string) => (
    <TimeBlank
      label={label}
      placeholder="never"
      value={value?.[key] ?? ""}
      onChange={(v) => {
        const next = Object.entries({ ...value, [key]: v.trim() }).filter(([, hour]) => hour !== "");
        onChange(Object.fromEntries(next));
      }}
    />
  );
  return (
    <span>
      Of a hire{" "}
      <Choice
        label="Free days of a hire"
        value={how === "none" && above === undefined ? "above" : how}
        options={[
          ["above", above === undefined ? "no day is free" : `the free days are as ${above}`] as const,
          ["own", "days are free by these hours:"] as const,
          ...(above === undefined ? [] : [["none", "no day is free"] as const]),
        ]}
        onChange={(next) => {
          setWritten(next === "own");
          onChange(next === "above" ? undefined : next === "own" ? usual : {});
        }}
      />{" "}
      {how === "own" && (
        <>
          the day of collection from {hour("freeFirstDayFrom", "Day of collection free from")} on, the day of return
          until {hour("freeLastDayUntil", "Day of return free until")}
        </>
      )}{" "}
      <FieldError>{error}</FieldError>
    </span>
  );
}
