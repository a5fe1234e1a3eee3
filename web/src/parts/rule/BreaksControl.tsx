import { useFacets } from "../../api/board";
import { useItems } from "../../api/items";
import { Blank, Choice, Out, Add } from "../../ui/blanks";
import { FieldError } from "../../ui/states";
import { EffectControl } from "./EffectControl";
import { newBreak, type Form, type Place } from "./form";
import { SelectionBuilder } from "./SelectionBuilder";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
  /** A ladder of its own counts no history: that belongs to the rule that names it. */
  ladder?: boolean;
}

const counts: [Form["count"], string][] = [
  ["line", "of one product"],
  ["style", "of all its variants"],
  ["selection", "of everything selected"],
  ["basket", "of the whole basket"],
  ["where", "of other goods"],
];

const measures: [Form["measure"], string][] = [
  ["quantity", "pieces"],
  ["spend", "money spent"],
  ["term", "months"],
  ["days", "days of hire"],
  ["attr", "an attribute"],
];

/** Quantity breaks of the rule's own, or a ladder that several rules share. */
export function BreaksControl({ form, errors, change, ladder = false }: Props) {
  const { data: ladders } = useItems("ladders");
  const { data: facets } = useFacets();
  if (form.how === "ladder")
    return (
      <p>
        by the ladder{" "}
        <Choice
          label="Ladder"
          bad={errors.has("ladder")}
          value={form.ladder}
          options={(ladders ?? []).map((l) => [l.code, l.name || l.code] as const)}
          onChange={(ladder) => change({ ladder })}
        />{" "}
        <FieldError>{errors.get("ladder")}</FieldError>
      </p>
    );
  const at = (i: number, part: Partial<Form["breaks"][number]>) =>
    change({ breaks: form.breaks.map((b, k) => (k === i ? { ...b, ...part } : b)) });
  return (
    <div>
      <ul>
        {form.breaks.map((b, i) => (
          <li key={i}>
            from{" "}
            <Blank
              label={`Break ${i + 1} from`}
              inputMode="decimal"
              className="w-14 text-right"
              bad={errors.has("breaks")}
              value={b.from}
              onChange={(from) => at(i, { from })}
            />{" "}
            on:{" "}
            <EffectControl
              effect={b.effect}
              which={` of break ${i + 1}`}
              bad={errors.has("breaks")}
              onChange={(effect) => at(i, { effect })}
            />{" "}
            <Out
              label={`Take break ${i + 1} out`}
              onClick={() => change({ breaks: form.breaks.filter((_, k) => k !== i) })}
            />
          </li>
        ))}
      </ul>
      <p>
        <Add
          onClick={() =>
            change({
              breaks: [
                ...form.breaks,
                newBreak(String((Number(form.breaks.at(-1)?.from) || 3) * 2), form.breaks.at(-1)?.effect),
              ],
            })
          }
        >
          a break
        </Add>{" "}
        <FieldError>{errors.get("breaks")}</FieldError>
      </p>
      <p>
        counted in{" "}
        <Choice
          label="Measure"
          bad={errors.has("measure")}
          value={form.measure}
          options={measures}
          onChange={(measure) => change({ measure })}
        />{" "}
        {form.measure === "attr" && (
          <>
            <Choice
              label="Attribute measured"
              value={form.measured}
              options={(facets?.attrs ?? []).map((a) => [a, a] as const)}
              onChange={(measured) => change({ measured })}
            />{" "}
          </>
        )}
        <Choice
          label="Count"
          bad={errors.has("count")}
          value={form.count}
          options={counts}
          onChange={(count) => change({ count })}
        />
        ; the highest break reached{" "}
        <Choice
          label="Method"
          value={form.method}
          options={[
            ["whole", "prices every piece"],
            ["graduated", "prices the pieces from there on"],
          ]}
          onChange={(method) => change({ method })}
        />
        {!ladder && (
          <>
            ; what was bought in the last{" "}
            <Blank
              label="Days of history"
              inputMode="numeric"
              className="w-12 text-center"
              placeholder="0"
              bad={errors.has("historyDays")}
              value={form.historyDays}
              onChange={(historyDays) => change({ historyDays })}
            />{" "}
            days counts too
          </>
        )}{" "}
        <FieldError>
          {errors.get("measure") ?? errors.get("count") ?? errors.get("method") ?? errors.get("historyDays")}
        </FieldError>
      </p>
      {form.count === "where" && (
        <SelectionBuilder
          title="Which goods are counted"
          selection={form.counted}
          onChange={(counted) => change({ counted })}
        />
      )}
    </div>
  );
}
