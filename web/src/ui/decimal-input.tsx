import { readNumber } from "../lib/reading";
import { inField } from "../lib/writing";
import { TypedInput, type TypedProps } from "./typed-input";

/** A field for an amount, a percent or a count, written as people write it. */
export const DecimalInput = (props: Omit<TypedProps, "show" | "read">) => (
  <TypedInput inputMode="decimal" show={inField} read={readNumber} {...props} />
);
