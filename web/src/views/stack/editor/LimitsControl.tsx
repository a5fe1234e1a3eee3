import { useLevels } from "../../../parts/rule/levels";
import { useState } from "react";
import { useFacets } from "../../../api/board";
import { Add, Blank, Choice, Out } from "../../../ui/blanks";
import { FieldError } from "../../../ui/states";
import { fixing, isFixed } from "../../../parts/rule/fixed";
import type { Form, Place } from "../../../parts/rule/form";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
}

/** Whether a rule takes nothing off the price entering it, and ends it in no other way. */
const changesNothing = ({ how, effect, of, ends }: Form) =>
  how === "effect" &&
  ["percentOff", "percentOn", "amountOff", "amountOn"].includes(effect.kind) &&
  of === "" &&
  !ends &&
  /^0+(\.0*)?$/.test(effect.value.trim());

/** What an effect starts from, what limits, lifts and ends its result, and what the rule ends. */
export function LimitsControl({ form, errors, change }: Props) {
  const { data: facets } = useFacets();
  const levels = useLevels(form.of.startsWith("level:") ? form.of.slice(6) : "");
  const floorLevels = useLevels(form.floorBy === "level" ? form.floor : "");
  const [basis, setBasis] = useState(form.of !== "");
  const [parts, setParts] = useState(form.on.join() !== "base");
  const bases = [
    ["list", "the list price"],
    ["cost", "the cost"],
    ...(facets?.costs ?? []).map((c) => [`cost:${c}`, `the cost “${c}”`] as const),
    ["rrp", "the recommended price"],
    ...levels.map(([l, words]) => [`level:${l}`, words === l ? `the price level ${l}` : words] as const),
    ...(form.layer === "catalog" ? [] : [["catalog", "the price after the catalog layer"] as const]),
  ] as (readonly [string, string])[];
  const hires =
    form.fromDate !== "" ||
    form.toDate !== "" ||
    form.days.length > 0 ||
    form.weeklyFrom !== "" ||
    form.yearlyFrom !== "";
  const fixed = isFixed(form);
  const bad = (p: Place) => errors.has(p) || undefined;
  return (
    <>
      {basis && (
        <p>
          reckoned from{" "}
          <Choice
            label="Reckoned from"
            bad={bad("of")}
            value={form.of}
            options={bases}
            onChange={(of) => change({ of })}
          />
          <Out
            label="Reckon from the price entering"
            onClick={() => {
              setBasis(false);
              change({ of: "" });
            }}
          />{" "}
          <FieldError>{errors.get("of")}</FieldError>
        </p>
      )}
      {parts && (
        <p>
          a percent reaches{" "}
          {(["base", "options", "work"] as const).map((part) => (
            <label key={part} className="mr-3 inline-flex items-center gap-1 text-[14px]">
              <input
                type="checkbox"
                className="accent-ink"
                checked={form.on.includes(part)}
                onChange={(e) =>
                  change({ on: e.target.checked ? [...form.on, part] : form.on.filter((x) => x !== part) })
                }
              />
              {{ base: "the goods", options: "options", work: "work" }[part]}
            </label>
          ))}
          <Out
            label="Reach the goods alone"
            onClick={() => {
              setParts(false);
              change({ on: ["base"] });
            }}
          />{" "}
          <FieldError>{errors.get("on")}</FieldError>
        </p>
      )}
      {form.maxOffBy !== "" && (
        <p>
          never more than{" "}
          <Blank label="Most off" bad={bad("maxOff")} value={form.maxOff} onChange={(maxOff) => change({ maxOff })} />{" "}
          <Choice
            label="Most off by"
            value={form.maxOffBy}
            options={[
              ["percent", "% off"],
              ["amount", "off each"],
            ]}
            onChange={(maxOffBy) => change({ maxOffBy })}
          />
          <Out label="No limit to the reduction" onClick={() => change({ maxOffBy: "", maxOff: "" })} />{" "}
          <FieldError>{errors.get("maxOff")}</FieldError>
        </p>
      )}
      {form.floorBy !== "" && (
        <p>
          not reduced below{" "}
          {(form.floorBy === "margin" || form.floorBy === "amount") && (
            <Blank label="Floor" bad={bad("floor")} value={form.floor} onChange={(floor) => change({ floor })} />
          )}{" "}
          <Choice
            label="Floor by"
            value={form.floorBy}
            options={[
              ["cost", "the cost"],
              ["margin", "% margin"],
              ["amount", "as the price"],
              ["level", "the price level"],
            ]}
            onChange={(floorBy) => change({ floorBy, floor: floorBy === "level" ? (facets?.levels[0] ?? "") : "" })}
          />{" "}
          {form.floorBy === "level" && (
            <Choice
              label="Level of the floor"
              bad={bad("floor")}
              value={form.floor}
              options={floorLevels}
              onChange={(floor) => change({ floor })}
            />
          )}
          {(form.floorBy === "cost" || form.floorBy === "margin") && (
            <label className="ml-1 inline-flex items-center gap-1 text-[14px]">
              <input
                type="checkbox"
                className="accent-ink"
                checked={form.floorFee}
                onChange={(e) => change({ floorFee: e.target.checked })}
              />
              after the channel’s fee
            </label>
          )}
          <Out label="No floor" onClick={() => change({ floorBy: "", floor: "", floorFee: false })} />{" "}
          <FieldError>{errors.get("floor")}</FieldError>
        </p>
      )}
      {form.ends && (
        <p>
          rounded{" "}
          <Choice
            label="Direction of the ending"
            value={form.direction}
            options={[
              ["up", "up to a multiple of"],
              ["down", "down to a multiple of"],
              ["nearest", "to the nearest multiple of"],
            ]}
            onChange={(direction) => change({ direction })}
          />{" "}
          <Blank
            label="Step of the ending"
            className="w-14 text-right"
            bad={bad("ending")}
            value={form.step}
            onChange={(step) => change({ step })}
          />{" "}
          and then moved by{" "}
          <Blank
            label="Shift of the ending"
            className="w-16 text-right"
            placeholder="0"
            bad={bad("ending")}
            value={form.shift}
            onChange={(shift) => change({ shift })}
          />
          <Out label="No ending" onClick={() => change({ ends: false, step: "", shift: "", direction: "nearest" })} />{" "}
          <FieldError>{errors.get("ending")}</FieldError>
        </p>
      )}
      {changesNothing(form) && (
        <FieldError>
          This rule takes nothing off{form.floorBy !== "" && ", and a floor never raises a price"}: it changes no price.
        </FieldError>
      )}
      {fixed && (
        <p>
          fixed for {form.customers.length === 1 ? "this customer" : "these customers"}: nothing else changes it
          <Out label="Not fixed" onClick={() => change({ mayRaise: false, then: "" })} />{" "}
        </p>
      )}
      {form.then !== "" && !fixed && (
        <p>
          and where it applied,{" "}
          <Choice
            label="What it ends"
            value={form.then}
            options={[
              ["end-layer", "no later rule of its layer does"],
              ["end-price", "no later rule or offer does"],
            ]}
            onChange={(then) => change({ then })}
          />
          <Out label="End nothing" onClick={() => change({ then: "" })} />
        </p>
      )}
      {form.mayRaise && !fixed && (
        <p>
          it may also raise a price
          <Out label="Never raise a price" onClick={() => change({ mayRaise: false })} />
        </p>
      )}
      {form.hireMatch !== "days" && (
        <p>
          of a hire,{" "}
          <Choice
            label="Which hires"
            value={form.hireMatch}
            options={[
              ["inside", "all its days, if all of them lie in the rule's time"],
              ["any", "all its days, if one of them lies in the rule's time"],
              ["days", "those days that lie in the rule's time"],
            ]}
            onChange={(hireMatch) => change({ hireMatch })}
          />
          <Out label="Day by day" onClick={() => change({ hireMatch: "days" })} />
        </p>
      )}
      <p className="flex flex-wrap gap-1.5">
        {form.hireMatch === "days" && hires && <Add onClick={() => change({ hireMatch: "inside" })}>whole hires</Add>}
        {!form.ends && (
          <Add onClick={() => change({ ends: true, step: "1", direction: "up", shift: "-0.05" })}>ending</Add>
        )}
        {form.maxOffBy === "" && <Add onClick={() => change({ maxOffBy: "percent" })}>most off</Add>}
        {form.floorBy === "" && <Add onClick={() => change({ floorBy: "cost" })}>floor</Add>}
        {!basis && (
          <Add
            onClick={() => {
              setBasis(true);
              change({ of: "list" });
            }}
          >
            reckoned from
          </Add>
        )}
        {!parts && <Add onClick={() => setParts(true)}>options and work</Add>}
        {!fixed && form.customers.length > 0 && form.groups.length === 0 && (
          <Add onClick={() => change(fixing)}>fixed: nothing else changes it</Add>
        )}
        {form.then === "" && <Add onClick={() => change({ then: "end-price" })}>ends the price</Add>}
        {!form.mayRaise && form.layer !== "catalog" && <Add onClick={() => change({ mayRaise: true })}>may raise</Add>}
      </p>
      <CurrencyControl form={form} errors={errors} change={change} />
    </>
  );
}

/** The one currency that a rule is for, or a way to say one where the channels have several. */
export function CurrencyControl({ form, errors, change }: Props) {
  const { data: facets } = useFacets();
  const currencies = facets?.currencies ?? [];
  if (form.currency === "")
    return (
      currencies.length > 1 && (
        <p>
          <Add onClick={() => change({ currency: currencies[0] ?? "" })}>one currency</Add>
        </p>
      )
    );
  return (
    <p>
      only in channels of{" "}
      <Choice
        label="Currency"
        bad={errors.has("currency") || undefined}
        value={form.currency}
        options={currencies.map((c) => [c, c] as const)}
        onChange={(currency) => change({ currency })}
      />
      , its amounts in that currency
      <Out label="Every currency" onClick={() => change({ currency: "" })} />
      <FieldError>{errors.get("currency")}</FieldError>
    </p>
  );
}
