import { X } from "lucide-react";
import { useFacets } from "../../api/board";
import { useItems } from "../../api/items";
import { count } from "../../lib/format";
import { useNames } from "../../lib/names";
import { goodsWords } from "../../lib/sentence";
import { Button } from "../../ui/button";
import { keepingFocus } from "../../ui/focus";
import { PickMany } from "../../ui/pick-many";
import { GoodsList } from "./GoodsList";
import {
  fieldWords,
  newAttr,
  newGroup,
  newNumber,
  newReduced,
  newValues,
  numberFields,
  replaced,
  unfinished,
  writeSelection,
  valueFields,
  type Group,
  type Part,
  type Selection,
} from "./selection";
import { DecimalInput } from "../../ui/decimal-input";

interface Props {
  title?: string;
  selection: Selection;
  onChange: (s: Selection) => void;
}

/** Says which goods a rule is for: conditions, all or any of them, each of which may be turned round. */
export function SelectionBuilder({ title = "On which goods", selection, onChange }: Props) {
  const { everything, root } = selection;
  const names = useNames();
  return (
    <fieldset className="rounded-[4px] border border-ink/30 bg-sheet px-3 pt-1.5 pb-2.5">
      <legend className="px-1 text-[12px] text-quiet">{title}</legend>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={everything}
          onChange={(e) => onChange({ everything: e.target.checked, root })}
          className="accent-ink"
        />
        every product in the book
        {everything && (
          <Button
            look="bare"
            className="ml-2 border border-ink/25"
            onClick={(e) =>
              keepingFocus(e.currentTarget, () =>
                onChange({
                  everything: false,
                  root: { ...newGroup("all"), parts: [{ ...newValues("sku"), not: true }] },
                }),
              )
            }
          >
            except …
          </Button>
        )}
      </label>
      {!everything && (
        <div className="mt-1.5">
          <GroupEditor
            group={root}
            top
            onChange={(g) => onChange({ everything, root: g })}
            onRemove={() => undefined}
          />
          {needsSaying(root) && !unfinished(root) && (
            <p role="status" className="mt-1.5 text-[14px]" data-testid="goods-said">
              That is: <b className="font-semibold">{goodsWords(writeSelection(selection), names)}</b>
              {nearlyAll(root) && (
                <span className="font-medium text-bad">
                  {" "}
                  Any of these is enough, and one of them is all but a few: that is nearly every product.
                </span>
              )}
            </p>
          )}
        </div>
      )}
    </fieldset>
  );
}

/** Whether the conditions want saying in one sentence: one alone says itself. */
const needsSaying = (g: Group) => g.parts.length > 1 || g.parts.some((p) => p.not || p.kind === "group");

/** Whether goods that are merely not something join on their own. */
const nearlyAll = (g: Group) => g.mode === "any" && g.parts.length > 1 && g.parts.some((p) => p.not);

function GroupEditor({
  group,
  top,
  onChange,
  onRemove,
}: {
  group: Group;
  top?: boolean;
  onChange: (g: Group) => void;
  onRemove: () => void;
}) {
  const add = (p: Part) => onChange({ ...group, parts: [...group.parts, p] });
  const change = (id: number, p: Part | null) => {
    const next = replaced(group, id, p);
    // "This, or anything but that" is nearly everything: what is turned into an exception is one from the others.
    const excepted = p?.not && !group.parts.find((x) => x.id === id)?.not && next.parts.length > 1;
    onChange(excepted ? { ...next, mode: "all" } : next);
  };
  return (
    <div className={top ? "" : "rounded-[3px] border-l-2 border-ink/40 pl-2.5"}>
      {(group.parts.length > 1 || !top) && (
        <div className="mb-1 flex items-center gap-1">
          {!top && <NotSwitch part={group} onChange={(not) => onChange({ ...group, not })} />}
          <select
            aria-label="All or any"
            data-aside
            className="blank"
            value={group.mode}
            onChange={(e) => onChange({ ...group, mode: e.target.value as "all" | "any" })}
          >
            <option value="all">all of</option>
            <option value="any">any of</option>
          </select>
          {!top && <Remove name="this group" onClick={onRemove} />}
        </div>
      )}
      <ul className="space-y-1.5">
        {group.parts.map((p) => (
          <li key={p.id}>
            {p.kind === "group" ? (
              <GroupEditor group={p} onChange={(g) => change(p.id, g)} onRemove={() => change(p.id, null)} />
            ) : (
              <PartEditor part={p} onChange={(n) => change(p.id, n)} onRemove={() => change(p.id, null)} />
            )}
          </li>
        ))}
      </ul>
      <div className="mt-1.5 flex flex-wrap items-center gap-1 text-quiet">
        <span>Add</span>
        {(
          [
            ["category", () => newValues("category")],
            ["brand", () => newValues("brand")],
            ["tag", () => newValues("tag")],
            ["SKUs", () => newValues("sku")],
            ["list price", () => newNumber("list")],
            ["group", () => newGroup(group.mode === "all" ? "any" : "all")],
          ] as [string, () => Part][]
        ).map(([name, make]) => (
          <Button
            key={name}
            look="bare"
            className="border border-ink/25"
            onClick={(e) => keepingFocus(e.currentTarget, () => add(make()))}
            aria-label={`Add ${name}`}
          >
            {name}
          </Button>
        ))}
        <select
          aria-label="Add another condition"
          className="field"
          value=""
          onChange={(e) => {
            const make = more.get(e.target.value);
            if (make) keepingFocus(e.currentTarget, () => add(make()));
          }}
        >
          <option value="">other …</option>
          {[...more.keys()].map((name) => (
            <option key={name} value={name}>
              {name}
            </option>
          ))}
        </select>
      </div>
    </div>
  );
}

const more = new Map<string, () => Part>([
  ...valueFields
    .filter((f) => !["category", "brand", "tag", "sku"].includes(f))
    .map((f): [string, () => Part] => [fieldWords[f], () => newValues(f)]),
  ...numberFields.filter((f) => f !== "list").map((f): [string, () => Part] => [fieldWords[f], () => newNumber(f)]),
  ["attribute", newAttr],
  ["already reduced or not", newReduced],
]);

const NotSwitch = ({ part, onChange }: { part: Part; onChange: (not: boolean) => void }) => (
  <select
    aria-label="Is or is not"
    data-aside
    className="blank"
    value={part.not ? "not" : "is"}
    onChange={(e) => onChange(e.target.value === "not")}
  >
    <option value="is">{part.kind === "group" ? "goods in" : "is"}</option>
    <option value="not">{part.kind === "group" ? "goods not in" : "is not"}</option>
  </select>
);

const Remove = ({ name, onClick }: { name: string; onClick: () => void }) => (
  <Button
    look="bare"
    className="min-h-6"
    aria-label={`Remove ${name}`}
    onClick={(e) => keepingFocus(e.currentTarget, onClick)}
  >
    <X size={13} aria-hidden />
  </Button>
);

function PartEditor({
  part,
  onChange,
  onRemove,
}: {
  part: Exclude<Part, Group>;
  onChange: (p: Part) => void;
  onRemove: () => void;
}) {
  const { data: facets } = useFacets();
  const { data: ranges } = useItems("ranges");
  if (part.kind === "other")
    return (
      <div className="flex items-center gap-1.5">
        {goodsWords(part.not ? { not: part.doc } : part.doc)} <span className="text-quiet">(kept as it is)</span>
        <Remove name="this condition" onClick={onRemove} />
      </div>
    );
  if (part.kind === "number")
    return (
      <div className="flex flex-wrap items-center gap-1.5">
        {fieldWords[part.field]} <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} /> from
        <Bound
          label={`${upper(fieldWords[part.field])} from`}
          value={part.min}
          onChange={(min) => onChange({ ...part, min })}
        />
        to
        <Bound
          label={`${upper(fieldWords[part.field])} to`}
          value={part.max}
          onChange={(max) => onChange({ ...part, max })}
        />
        <Remove name={`the ${fieldWords[part.field]} condition`} onClick={onRemove} />
      </div>
    );
  if (part.kind === "reduced")
    return (
      <div className="flex flex-wrap items-center gap-1.5">
        <select
          aria-label="Reduced or not"
          className="blank"
          value={part.reduced ? "yes" : "no"}
          onChange={(e) => onChange({ ...part, reduced: e.target.value === "yes" })}
        >
          <option value="no">not reduced yet when it comes to this layer</option>
          <option value="yes">reduced already when it comes to this layer</option>
        </select>
        <Remove name="the reduced condition" onClick={onRemove} />
      </div>
    );
  if (part.kind === "attr")
    return (
      <div className="flex flex-wrap items-center gap-1.5">
        <select
          aria-label="Attribute"
          className="blank"
          value={part.name}
          onChange={(e) => onChange({ ...part, name: e.target.value })}
        >
          <option value="">choose an attribute</option>
          {(facets?.attrs ?? []).map((a) => (
            <option key={a} value={a}>
              {a}
            </option>
          ))}
        </select>
        <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} />
        <input
          aria-label="Values of the attribute"
          placeholder="one of, with commas"
          className="field w-44"
          value={part.values}
          onChange={(e) => onChange({ ...part, values: e.target.value, min: "", max: "" })}
        />
        or from
        <Bound label="Attribute from" value={part.min} onChange={(min) => onChange({ ...part, min, values: "" })} />
        to
        <Bound label="Attribute to" value={part.max} onChange={(max) => onChange({ ...part, max, values: "" })} />
        <Remove name="the attribute condition" onClick={onRemove} />
      </div>
    );
  if (part.field === "sku") return <SKUEditor part={part} onChange={onChange} onRemove={onRemove} />;
  const options =
    {
      category: facets?.categories,
      brand: facets?.brands,
      tag: facets?.tags,
      range: ranges?.map((r) => r.code),
      style: facets?.styles,
      supplier: facets?.suppliers,
      type: facets?.types,
      taxClass: facets?.taxClasses,
    }[part.field] ?? [];
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      {fieldWords[part.field]} <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} />
      <PickMany
        label={upper(fieldWords[part.field])}
        options={options}
        chosen={part.values}
        empty={`choose a ${fieldWords[part.field]}`}
        invalid={part.values.length === 0}
        show={(o) => o.split("/").join(" › ")}
        onChange={(values) => onChange({ ...part, values })}
      />
      <Remove name={`the ${fieldWords[part.field]} condition`} onClick={onRemove} />
    </div>
  );
}

const upper = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);

const Bound = ({ label, value, onChange }: { label: string; value: string; onChange: (v: string) => void }) => (
  <DecimalInput aria-label={label} className="field w-24 text-right" value={value} onChange={onChange} />
);

function SKUEditor({
  part,
  onChange,
  onRemove,
}: {
  part: Extract<Part, { kind: "values" }>;
  onChange: (p: Part) => void;
  onRemove: () => void;
}) {
  const unknown = part.unknown ?? [];
  return (
    <div>
      <div className="flex items-center gap-1.5">
        goods <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} /> one of
        <span className="text-quiet" data-testid="sku-count">
          {count(part.values.length - unknown.length)} known{unknown.length > 0 && `, ${count(unknown.length)} unknown`}
        </span>
        <Remove name="the SKU condition" onClick={onRemove} />
      </div>
      <GoodsList chosen={part} onChange={(chosen) => onChange({ ...part, ...chosen })} />
    </div>
  );
}
