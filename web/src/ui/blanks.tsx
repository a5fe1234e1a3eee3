import type { InputHTMLAttributes, ReactNode } from "react";
import { keepingFocus } from "./focus";
import { Tip } from "./tip";
import { DecimalInput } from "./decimal-input";

/** Controls that read as words of a sentence. */

interface BlankProps extends Omit<InputHTMLAttributes<HTMLInputElement>, "onChange" | "value" | "title"> {
  label: string;
  value: string;
  bad?: boolean | undefined;
  /** How it is written. */
  hint?: string;
  onChange: (value: string) => void;
}

export function Blank({ label, bad, hint, className = "w-20 text-right", onChange, ...rest }: BlankProps) {
  const field = { ...rest, "aria-label": label, "aria-invalid": bad, className: `blank ${className}` };
  const number = rest.inputMode === "decimal" || rest.inputMode === "numeric";
  return (
    <Tip text={hint}>
      {number ? (
        <DecimalInput {...field} onChange={onChange} />
      ) : (
        <input {...field} onChange={(e) => onChange(e.target.value)} />
      )}
    </Tip>
  );
}

interface ChoiceProps<T extends string> {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  bad?: boolean | undefined;
  onChange: (value: T) => void;
}

export const Choice = <T extends string>({ label, value, options, bad, onChange }: ChoiceProps<T>) => (
  <select
    aria-label={label}
    aria-invalid={bad}
    className="blank"
    value={value}
    onChange={(e) => onChange(e.target.value as T)}
  >
    {!options.some(([key]) => key === value) && <option value={value}>{value || "choose"}</option>}
    {options.map(([key, name]) => (
      <option key={key} value={key}>
        {name}
      </option>
    ))}
  </select>
);

/** Takes a part out of the sentence. */
export const Out = ({ label, onClick }: { label: string; onClick: () => void }) => (
  <Tip text={label}>
    <button
      type="button"
      aria-label={label}
      className="ml-0.5 rounded-[3px] px-1 text-[14px] text-quiet hover:bg-wash hover:text-ink"
      onClick={(e) => keepingFocus(e.currentTarget, onClick)}
    >
      ×
    </button>
  </Tip>
);

/** Puts a part into the sentence. */
export const Add = ({ children, onClick }: { children: ReactNode; onClick: () => void }) => (
  <button
    type="button"
    className="rounded-full border border-ink/30 px-2 text-[13px] leading-6 text-quiet hover:bg-wash hover:text-ink"
    onClick={(e) => keepingFocus(e.currentTarget, onClick)}
  >
    + {children}
  </button>
);
