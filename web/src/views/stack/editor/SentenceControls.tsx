import { useProgramState } from "../../../api/state";
import { layerNames } from "../../../lib/layers";
import { Blank, Choice } from "../../../ui/blanks";
import { FieldError } from "../../../ui/states";
import { BreaksControl } from "../../../parts/rule/BreaksControl";
import { EffectControl } from "../../../parts/rule/EffectControl";
import { LimitsControl } from "./LimitsControl";
import { WhenControl } from "../../../parts/rule/WhenControl";
import { WhoControl } from "../../../parts/rule/WhoControl";
import { newBreak, type Form, type Place } from "../../../parts/rule/form";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
}

/** The sentence of the editor: every underlined part is a control. */
export function SentenceControls({ form, errors, change }: Props) {
  const { data: state } = useProgramState();
  const bad = (p: Place) => errors.has(p) || undefined;
  return (
    <div className="mt-3 space-y-1.5 text-[16px] leading-8">
      <p>
        In the{" "}
        <Choice
          label="Layer"
          value={form.layer}
          options={(state?.layers ?? []).map((l) => [l.layer, layerNames[l.layer].toLowerCase()] as const)}
          onChange={(layer) => change({ layer })}
        />{" "}
        layer at rank{" "}
        <Blank
          label="Rank"
          inputMode="numeric"
          className="w-10 text-center"
          bad={bad("rank")}
          value={form.rank}
          onChange={(rank) => change({ rank })}
        />
        {form.how === "other" ? (
          <span>, an offer or an order that is kept as it is</span>
        ) : (
          <>
            ,{" "}
            <Choice
              label="Form of the rule"
              value={form.how}
              options={[
                ["effect", "for any quantity"],
                ["breaks", "by quantity"],
                ["ladder", "by a shared ladder"],
              ]}
              onChange={(how) =>
                change({ how, ...(how === "breaks" && form.breaks.length === 0 && { breaks: [newBreak("6")] }) })
              }
            />
            :{" "}
            {form.how === "effect" && (
              <EffectControl effect={form.effect} bad={bad("effect")} onChange={(effect) => change({ effect })} />
            )}{" "}
          </>
        )}
        <FieldError>{errors.get("effect") ?? errors.get("rank")}</FieldError>
      </p>
      {(form.how === "breaks" || form.how === "ladder") && (
        <BreaksControl form={form} errors={errors} change={change} />
      )}
      {form.how !== "other" && <LimitsControl form={form} errors={errors} change={change} />}
      <WhoControl form={form} errors={errors} change={change} />
      <WhenControl form={form} errors={errors} change={change} />
      <p>
        and this rule is{" "}
        <Choice
          label="State of the rule"
          value={form.status}
          options={[
            ["on", "on"],
            ["off", "off"],
            ["draft", "a draft"],
          ]}
          onChange={(status) => change({ status })}
        />
        .
      </p>
    </div>
  );
}
