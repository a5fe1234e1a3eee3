import { useProgramState } from "../../../api/state";
import { layerNames } from "../../../lib/layers";
import { Blank, Choice } from "../../../ui/blanks";
import { FieldError } from "../../../ui/states";
import { BreaksControl } from "../../../parts/rule/BreaksControl";
import { EffectControl } from "../../../parts/rule/EffectControl";
import { CurrencyControl, LimitsControl } from "./LimitsControl";
import { WhenControl } from "../../../parts/rule/WhenControl";
import { WhoControl } from "../../../parts/rule/WhoControl";
import { newBreak, type Form, type Place } from "../../../parts/rule/form";
import { OfferControl } from "../../../parts/rule/OfferControl";
import { OrderControl } from "../../../parts/rule/OrderControl";
import { offerOf } from "../../../parts/rule/offer-form";
import { ShapeChooser } from "./ShapeChooser";
import type { DocError } from "../../../api/client";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  /** What the core found wrong, by path. */
  found: DocError[];
  /** Whether saving was tried: what is still empty is reproached then. */
  tried: boolean;
  change: (part: Partial<Form>) => void;
}

/** The sentence of the editor: every underlined part is a control. */
export function SentenceControls({ form, errors, found, tried, change }: Props) {
  const { data: state } = useProgramState();
  const bad = (p: Place) => errors.has(p) || undefined;
  const untouched = form.how === "effect" && form.layer === "promotion" && form.code === "" && form.effect.value === "";
  const choosing =
    untouched || (form.how === "offer" && form.offer.gives.length === 0 && form.offer.needs.length === 0);
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
        ,{" "}
        <Choice
          label="Form of the rule"
          value={form.how}
          options={[
            ["effect", "for any quantity"],
            ["breaks", "by quantity"],
            ["ladder", "by a shared ladder"],
            ...(form.layer === "promotion" || form.how === "offer"
              ? [["offer", "as a deal on the basket"] as const]
              : []),
            ...(form.layer === "promotion" || form.layer === "group" || form.how === "order"
              ? [["order", "as a limit of orders"] as const]
              : []),
          ]}
          onChange={(how) =>
            change({ how, ...(how === "breaks" && form.breaks.length === 0 && { breaks: [newBreak("6")] }) })
          }
        />
        :{" "}
        {form.how === "effect" && (
          <EffectControl effect={form.effect} bad={bad("effect")} onChange={(effect) => change({ effect })} />
        )}{" "}
        <FieldError>{errors.get("effect") ?? errors.get("rank")}</FieldError>
      </p>
      {(form.how === "breaks" || form.how === "ladder") && (
        <BreaksControl form={form} errors={errors} change={change} />
      )}
      {choosing && (
        <ShapeChooser
          title={form.how === "offer" ? "Which shape has the deal?" : "Or a deal on the basket, of which shape?"}
          onChoose={(shape) =>
            shape === "order"
              ? change({ how: "order", selection: { ...form.selection, everything: false } })
              : change({ how: "offer", offer: offerOf(shape), selection: { ...form.selection, everything: true } })
          }
        />
      )}
      {form.how === "offer" && !choosing && (
        <OfferControl
          offer={form.offer}
          errors={found}
          tried={tried}
          onChange={(offer) => change({ offer })}
          then={form.then !== ""}
          onThen={(on) => change({ then: on ? "end-layer" : "" })}
        />
      )}
      {form.how === "order" && (
        <OrderControl order={form.order} errors={found} onChange={(order) => change({ order })} />
      )}
      <FieldError>{tried ? errors.get("order") : undefined}</FieldError>
      {form.how === "offer" || form.how === "order" ? (
        <CurrencyControl form={form} errors={errors} change={change} />
      ) : (
        <LimitsControl form={form} errors={errors} change={change} />
      )}
      <WhoControl pieces={form.how !== "offer" && form.how !== "order"} form={form} errors={errors} change={change} />
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
