import { Blank } from "./blanks";

/** A tax class and its percent, as text and as written. */
export type TaxClass = [name: string, percent: string];

/** The two blanks of the n-th tax class, with words between them. */
export function TaxClassBlanks(props: {
  n: number;
  value: TaxClass;
  onChange: (value: TaxClass) => void;
  between: string;
}) {
  const [name, percent] = props.value;
  return (
    <>
      <Blank
        label={`Tax class ${props.n}`}
        className="w-32"
        value={name}
        onChange={(v) => props.onChange([v, percent])}
      />
      {props.between}
      <Blank
        label={`Percent of tax class ${props.n}`}
        className="w-14 text-right"
        inputMode="decimal"
        value={percent}
        onChange={(v) => props.onChange([name, v])}
      />{" "}
      %
    </>
  );
}
