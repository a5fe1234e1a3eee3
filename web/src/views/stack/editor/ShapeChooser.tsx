import { shapes, type Shape } from "../../../parts/rule/offer-form";

/** A deal begins with its shape, in plain words; from each any other can be reached. */
export function ShapeChooser({ title, onChoose }: { title: string; onChoose: (shape: Shape) => void }) {
  return (
    <fieldset className="mt-1" data-testid="shapes">
      <legend className="pb-1 text-[14px] text-quiet">{title}</legend>
      <div className="grid grid-cols-2 gap-1.5 leading-snug max-[1100px]:grid-cols-1">
        {shapes.map(([shape, name, example]) => (
          <button
            key={shape}
            type="button"
            className="rounded-[3px] border border-ink/35 px-3 py-1.5 text-left hover:bg-wash"
            onClick={() => onChoose(shape)}
          >
            <span className="block text-[15px] font-semibold">{name}</span>
            <span className="block text-[13px] text-quiet">{example}</span>
          </button>
        ))}
      </div>
    </fieldset>
  );
}
