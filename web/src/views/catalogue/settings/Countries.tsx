import { Add, Blank, Out } from "../../../ui/blanks";
import { FieldError } from "../../../ui/states";
import type { TaxClass } from "../../../ui/tax-class";
import type { CountryForm } from "./form";

interface CountriesProps {
  countries: CountryForm[];
  classes: TaxClass[];
  may: boolean;
  errorAt: (path: string) => string | undefined;
  onChange: (countries: CountryForm[]) => void;
}

/** Tax rates of single countries, a column for each class; an empty place has the book's rate. */
export function Countries({ countries, classes, may, errorAt, onChange }: CountriesProps) {
  const named = classes
    .map(([name, percent]) => [name.trim(), percent.trim()] as const)
    .filter(([name]) => name !== "");
  const change = (i: number, part: Partial<CountryForm>) =>
    onChange(countries.map((c, k) => (k === i ? { ...c, ...part } : c)));
  return (
    <>
      {countries.length > 0 && (
        <table aria-label="Tax by country">
          <thead>
            <tr className="text-left text-[13px] text-quiet">
              <th className="pr-4 font-normal">In the country</th>
              {named.map(([name, percent]) => (
                <th key={name} className="pr-4 font-normal">
                  {name} <span className="whitespace-nowrap">({percent || "–"} % here)</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {countries.map((c, i) => (
              <tr key={i}>
                <td className="pr-4 whitespace-nowrap">
                  <Blank
                    label={`Country ${i + 1}`}
                    className="w-12"
                    placeholder="DE"
                    bad={errorAt(`countries.${c.code.trim()}`) !== undefined}
                    value={c.code}
                    onChange={(code) => change(i, { code: code.trim().toUpperCase() })}
                  />
                  {may && (
                    <Out
                      label={`Take country ${c.code || i + 1} out`}
                      onClick={() => onChange(countries.filter((_, k) => k !== i))}
                    />
                  )}
                </td>
                {named.map(([name, percent]) => (
                  <td key={name} className="pr-4 whitespace-nowrap">
                    <Blank
                      label={`${name} in country ${i + 1}, percent`}
                      className="w-16 text-right"
                      inputMode="decimal"
                      placeholder={percent}
                      bad={errorAt(`countries.${c.code.trim()}.taxRates.${name}`) !== undefined}
                      value={c.rates[name] ?? ""}
                      onChange={(v) => change(i, { rates: { ...c.rates, [name]: v } })}
                    />{" "}
                    %
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {countries.map((c, i) => {
        const problem = errorAt(`countries.${c.code.trim()}`);
        return problem && <FieldError key={i}>{`${c.code || `Country ${i + 1}`}: ${problem}`}</FieldError>;
      })}
      {may && (
        <p>
          <Add onClick={() => onChange([...countries, { code: "", rates: {} }])}>a country with taxes of its own</Add>
        </p>
      )}
    </>
  );
}
