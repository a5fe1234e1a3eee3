import type { Form, Place } from "../../../parts/rule/form";
import { ImageField } from "./ImageField";

interface Props {
  form: Form;
  errors: Map<Place, string>;
  change: (part: Partial<Form>) => void;
}

const shownAs = [
  ["", "as its layer has it"],
  ["reduced", "a reduced price"],
  ["ordinary", "an ordinary price"],
] as const;

const fields: [keyof Form["show"], string][] = [
  ["label", "Label at the price"],
  ["badge", "Badge"],
  ["message", "Message"],
  ["terms", "Terms"],
];

/** What the public sees of the rule, and the tags that live with it. */
export function PublicTexts({ form, errors, change }: Props) {
  return (
    <details
      className="mt-3 rounded-[4px] border border-ink/30 px-3 py-1.5"
      open={Object.values(form.show).some((v) => v !== "") || form.tagsAdd !== "" || form.tagsRemove !== ""}
    >
      <summary className="cursor-pointer text-quiet">What the public sees, and live tags</summary>
      <div className="mt-2 grid grid-cols-2 gap-x-4 gap-y-2 pb-1">
        {fields.map(([key, name]) => (
          <label key={key} className={key === "message" ? "col-span-2 block" : "block"}>
            <span className="text-[12px] text-quiet">
              {name}
              {key === "message" && form.offer.after && " – may name {name}, {goods}, {rewarded} and {until}"}
            </span>
            {key === "message" ? (
              <textarea
                className="field block w-full"
                rows={form.offer.after ? 6 : 2}
                value={form.show[key]}
                onChange={(e) => change({ show: { ...form.show, [key]: e.target.value } })}
              />
            ) : (
              <input
                className="field block w-full"
                value={form.show[key]}
                onChange={(e) => change({ show: { ...form.show, [key]: e.target.value } })}
              />
            )}
          </label>
        ))}
        <label className="block">
          <span className="text-[12px] text-quiet">Shown as</span>
          <select
            className="field block w-full"
            value={form.show.as}
            onChange={(e) =>
              change({ show: { ...form.show, as: shownAs.find(([as]) => as === e.target.value)?.[0] ?? "" } })
            }
          >
            {shownAs.map(([as, name]) => (
              <option key={as} value={as}>
                {name}
              </option>
            ))}
          </select>
        </label>
        <ImageField
          image={form.show.image}
          alt={form.show.alt}
          onChange={(part) => change({ show: { ...form.show, ...part } })}
          error={errors.get("show")}
        />
        <label className="block">
          <span className="text-[12px] text-quiet">Tags added while it is live</span>
          <input
            className="field block w-full"
            value={form.tagsAdd}
            onChange={(e) => change({ tagsAdd: e.target.value })}
          />
        </label>
        <label className="block">
          <span className="text-[12px] text-quiet">Tags taken off while it is live</span>
          <input
            className="field block w-full"
            value={form.tagsRemove}
            onChange={(e) => change({ tagsRemove: e.target.value })}
          />
        </label>
      </div>
    </details>
  );
}
