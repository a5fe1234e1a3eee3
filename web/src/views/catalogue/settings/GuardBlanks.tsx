import { Blank, Choice } from "../../../ui/blanks";
import { FieldError } from "../../../ui/states";
import { without, type Guard } from "./form";

interface Props {
  guard: Guard;
  /** Of which guard, for the names of the blanks. */
  which: string;
  /** Where the guard stands in the settings. */
  path: string;
  errorAt: (path: string) => string | undefined;
  onChange: (guard: Guard) => void;
}

/** What a guard keeps, and what happens to a price that does not. */
export function GuardBlanks({ guard, which, path, errorAt, onChange }: Props) {
  const margin = errorAt(`${path}.minMargin`);
  const most = errorAt(`${path}.maxOff`);
  return (
    <>
      at least{" "}
      <Blank
        label={`Least margin${which}`}
        className="w-14 text-right"
        inputMode="decimal"
        bad={margin !== undefined}
        value={guard.minMargin ?? ""}
        onChange={(v) => onChange({ ...guard, minMargin: v.trim() })}
      />{" "}
      % margin, all layers together take at most{" "}
      <Blank
        label={`Most off${which}`}
        className="w-14 text-right"
        inputMode="decimal"
        placeholder="any"
        bad={most !== undefined}
        value={guard.maxOff ?? ""}
        onChange={(v) => {
          onChange(v.trim() ? { ...guard, maxOff: v.trim() } : without(guard, "maxOff"));
        }}
      />{" "}
      %; a price below is{" "}
      <Choice
        label={`What happens${which}`}
        value={guard.action ?? "flag"}
        options={[
          ["flag", "flagged"],
          ["hold", "lifted to the limit"],
        ]}
        onChange={(action) => onChange({ ...guard, action })}
      />{" "}
      <FieldError>{margin ?? most}</FieldError>
    </>
  );
}
