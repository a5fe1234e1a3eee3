import { X } from "lucide-react";
import { useState } from "react";
import { api, take } from "../../../api/client";
import { useFacets } from "../../../api/queries";
import { count, errorText } from "../../../lib/format";
import { goodsWords } from "../../../lib/sentence";
import { Button } from "../../../ui/button";
import { PickMany } from "../../../ui/pick-many";
import { newGroup, newList, newValues, replaced, type Group, type Part, type Selection } from "./selection";

interface Props {
  selection: Selection;
  onChange: (s: Selection) => void;
}

/** Says which goods a rule is for: conditions, all or any of them, each of which may be turned round. */
export function SelectionBuilder({ selection, onChange }: Props) {
  const { everything, root } = selection;
  return (
    <fieldset className="rounded-[4px] border border-ink/30 bg-sheet px-3 pt-1.5 pb-2.5">
      <legend className="px-1 text-[12px] text-quiet">On which goods</legend>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={everything}
          onChange={(e) => onChange({ everything: e.target.checked, root })}
          className="accent-ink"
        />
        every product in the book
      </label>
      {!everything && (
        <div className="mt-1.5">
          <GroupEditor
            group={root}
            top
            onChange={(g) => onChange({ everything, root: g })}
            onRemove={() => undefined}
          />
        </div>
      )}
    </fieldset>
  );
}

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
  const change = (id: number, p: Part | null) => onChange(replaced(group, id, p));
  return (
    <div className={top ? "" : "rounded-[3px] border-l-2 border-ink/40 pl-2.5"}>
      {(group.parts.length > 1 || !top) && (
        <div className="mb-1 flex items-center gap-1">
          {!top && <NotSwitch part={group} onChange={(not) => onChange({ ...group, not })} />}
          <select
            aria-label="All or any"
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
            ["list price", newList],
            ["SKUs", () => newValues("sku")],
            ["group", () => newGroup(group.mode === "all" ? "any" : "all")],
          ] as [string, () => Part][]
        ).map(([name, make]) => (
          <Button
            key={name}
            look="bare"
            className="border border-ink/25"
            onClick={() => add(make())}
            aria-label={`Add ${name}`}
          >
            {name}
          </Button>
        ))}
      </div>
    </div>
  );
}

const NotSwitch = ({ part, onChange }: { part: Part; onChange: (not: boolean) => void }) => (
  <select
    aria-label="Is or is not"
    className="blank"
    value={part.not ? "not" : "is"}
    onChange={(e) => onChange(e.target.value === "not")}
  >
    <option value="is">{part.kind === "group" ? "goods in" : "is"}</option>
    <option value="not">{part.kind === "group" ? "goods not in" : "is not"}</option>
  </select>
);

const Remove = ({ name, onClick }: { name: string; onClick: () => void }) => (
  <Button look="bare" className="min-h-6" aria-label={`Remove ${name}`} onClick={onClick}>
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
  if (part.kind === "other")
    return (
      <div className="flex items-center gap-1.5">
        {goodsWords(part.not ? { not: part.doc } : part.doc)} <span className="text-quiet">(kept as it is)</span>
        <Remove name="this condition" onClick={onRemove} />
      </div>
    );
  if (part.kind === "list")
    return (
      <div className="flex flex-wrap items-center gap-1.5">
        list price <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} /> from
        <input
          aria-label="List price from"
          className="field w-24 text-right"
          inputMode="decimal"
          value={part.min}
          onChange={(e) => onChange({ ...part, min: e.target.value })}
        />
        to
        <input
          aria-label="List price to"
          className="field w-24 text-right"
          inputMode="decimal"
          value={part.max}
          onChange={(e) => onChange({ ...part, max: e.target.value })}
        />
        <Remove name="the list price condition" onClick={onRemove} />
      </div>
    );
  if (part.field === "sku") return <SKUEditor part={part} onChange={onChange} onRemove={onRemove} />;
  const options = { category: facets?.categories, brand: facets?.brands, tag: facets?.tags }[part.field] ?? [];
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      {part.field} <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} />
      <PickMany
        label={part.field[0]?.toUpperCase() + part.field.slice(1)}
        options={options}
        chosen={part.values}
        empty={`choose a ${part.field}`}
        invalid={part.values.length === 0}
        show={(o) => o.split("/").join(" › ")}
        onChange={(values) => onChange({ ...part, values })}
      />
      <Remove name={`the ${part.field} condition`} onClick={onRemove} />
    </div>
  );
}

function SKUEditor({
  part,
  onChange,
  onRemove,
}: {
  part: Extract<Part, { kind: "values" }>;
  onChange: (p: Part) => void;
  onRemove: () => void;
}) {
  const [text, setText] = useState(part.values.join("\n"));
  const [problem, setProblem] = useState("");
  const read = async (typed: string) => {
    setText(typed);
    try {
      const list = await take(api.POST("/api/sku-list", { body: { text: typed } }));
      setProblem("");
      onChange({ ...part, values: [...list.known, ...list.unknown], unknown: list.unknown });
    } catch (e) {
      setProblem(errorText(e));
    }
  };
  const unknown = part.unknown ?? [];
  return (
    <div>
      <div className="flex items-center gap-1.5">
        SKU <NotSwitch part={part} onChange={(not) => onChange({ ...part, not })} /> one of
        <span className="text-quiet" data-testid="sku-count">
          {count(part.values.length - unknown.length)} known{unknown.length > 0 && `, ${count(unknown.length)} unknown`}
        </span>
        <Remove name="the SKU condition" onClick={onRemove} />
      </div>
      <textarea
        aria-label="SKUs"
        className="field mt-1 h-20 w-full"
        placeholder="Paste SKUs: one to a line, or with commas, semicolons, tabs or spaces between them"
        value={text}
        onChange={(e) => void read(e.target.value)}
      />
      {unknown.length > 0 && (
        <p role="status" className="mt-0.5 text-bad">
          Not in the book: {unknown.slice(0, 12).join(", ")}
          {unknown.length > 12 && ` and ${unknown.length - 12} more`}. They match nothing until they are.
        </p>
      )}
      {problem && <p className="text-bad">{problem}</p>}
    </div>
  );
}
