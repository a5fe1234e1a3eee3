import { Add, Blank, Out } from "../../../ui/blanks";
import { ImportLink } from "../../../parts/imports/ImportLink";
import { DayBlank } from "../../../ui/time-blanks";
import { FieldError } from "../../../ui/states";
import { codeOf, type RateForm, type SavedRate } from "./form";

interface Props {
  rates: RateForm[];
  saved: SavedRate[];
  book: string;
  may: boolean;
  now: string;
  errorAt: (path: string) => string | undefined;
  onChange: (rates: RateForm[]) => void;
}

/** Exchange rates of the currencies that channels sell in, each with the day that it is of. */
export function Rates({ rates, saved, book, may, now, errorAt, onChange }: Props) {
  return (
    <section aria-label="Exchange rates">
      <h2 className="border-b pb-1">
        Exchange rates
        <ImportLink kind="rates" />
      </h2>
      {rates.length === 0 && <p className="mt-1 text-quiet">Every channel sells in {book}.</p>}
      {rates.map((r, i) => (
        <RateLine
          key={i}
          rate={r}
          saved={saved.find((s) => s.currency === r.currency && !r.added)}
          book={book}
          may={may}
          now={now}
          errorAt={errorAt}
          onChange={(next) => onChange(rates.flatMap((x, k) => (k === i ? (next ? [next] : []) : [x])))}
        />
      ))}
      {may && (
        <p className="mt-1">
          <Add onClick={() => onChange([...rates, { currency: "", rate: "", day: "", added: true }])}>a currency</Add>
        </p>
      )}
    </section>
  );
}

interface LineProps {
  rate: RateForm;
  saved: SavedRate | undefined;
  book: string;
  may: boolean;
  now: string;
  errorAt: (path: string) => string | undefined;
  onChange: (rate: RateForm | null) => void;
}

function RateLine({ rate, saved, book, may, now, errorAt, onChange }: LineProps) {
  const name = saved ? rate.currency : "the new currency";
  const code = codeOf(rate);
  const wrong = errorAt(`rates.${code}`);
  const wrongDay = errorAt(`rateDays.${code}`);
  const changed = rate.rate.trim() !== (saved?.rate ?? "");
  return (
    <p className="border-b py-1.5 leading-8" data-rate={rate.currency}>
      1 {book} is{" "}
      <Blank
        label={`Rate of ${name}`}
        className="w-24 text-right"
        inputMode="decimal"
        readOnly={!may}
        bad={wrong !== undefined}
        value={rate.rate}
        onChange={(v) =>
          // Another rate is of another day, unless that is said.
          onChange({ ...rate, rate: v, day: rate.day === saved?.day && v !== saved.rate ? "" : rate.day })
        }
      />{" "}
      {saved ? (
        rate.currency
      ) : (
        <Blank
          label="New currency"
          className="w-14"
          placeholder="GBP"
          bad={wrong !== undefined}
          value={rate.currency}
          onChange={(currency) => onChange({ ...rate, currency })}
        />
      )}
      , the rate of{" "}
      <DayBlank
        label={`Day of the rate of ${name}`}
        placeholder={changed || !saved?.rate ? "today" : "no day known"}
        readOnly={!may}
        bad={wrongDay !== undefined}
        value={rate.day}
        now={now}
        onChange={(day) => onChange({ ...rate, day })}
      />
      {saved && saved.channels.length > 0 && (
        <span className="text-quiet">, for the {saved.channels.join(" and the ")}</span>
      )}
      {!saved && <Out label="No new currency" onClick={() => onChange(null)} />}{" "}
      <FieldError>{wrong ?? wrongDay}</FieldError>
    </p>
  );
}
