import type { InputHTMLAttributes } from "react";
import { fromField, inField } from "../lib/writing";

interface Props extends Omit<InputHTMLAttributes<HTMLInputElement>, "onChange" | "value"> {
  /** A plain decimal, or whatever else was typed. */
  value: string;
  onChange: (value: string) => void;
}

/** A field for an amount or a percent, with the decimal mark that is used here. */
export const DecimalInput = ({ value, onChange, ...rest }: Props) => (
  <input inputMode="decimal" value={inField(value)} onChange={(e) => onChange(fromField(e.target.value))} {...rest} />
);
