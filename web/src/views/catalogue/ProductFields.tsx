import { useState } from "react";
import { useFacets } from "../../api/board";
import { useSettings } from "../../api/settings";
import { isAt } from "../../lib/paths";
import { Add, Out } from "../../ui/blanks";
import { HireHours, type HireTimes } from "../../ui/hire-hours";
import { FieldError } from "../../ui/states";
import { CommaBlank } from "../../ui/comma-blank";
import { DecimalInput } from "../../ui/decimal-input";
import { LaterFields } from "./LaterFields";
import { pairs, readOptions, unpair, writeOptions, type OptionForm, type Pair } from "./product-form";

/** A product as docs/book.md writes it. */
export type Doc = Record<string, unknown>;

const textFields = [
  ["name", "Name"],
  ["category", "Category"],
  ["brand", "Brand"],
  ["supplier", "Supplier"],
  ["type", "Type"],
  ["style", "Style"],
  ["gtin", "GTIN"],
] as const;
const amountFields = [
  ["list", "List price"],
  ["cost", "Cost without tax"],
  ["rrp", "Recommended retail price"],
  ["map", "Lowest advertised price"],
  ["stock", "Stock"],
  ["sold", "Sold in 30 days"],
  ["rating", "Rating"],
] as const;
/** Keys of named amounts: further price levels, costs and list prices in other currencies. */
const named = [
  ["levels", "Price level"],
  ["costs", "Further cost"],
  ["listIn", "List price in"],
] as const;
const whole = new Set(["stock", "minOrder", "sold"]);

interface FieldsProps {
  doc: Doc;
  setDoc: (d: Doc) => void;
  errors: { path: string; problem: string }[];
  may: boolean;
  gtin: string;
}

/** Every part of a product, with what is wrong beside it. */
export function ProductFields({ doc, setDoc, errors, may, gtin }: FieldsProps) {
  const { data: facets } = useFacets();
  const { data: settings } = useSettings();
  const [attrs, setAttrs] = useState(() => pairs(doc.attrs));
  const [extra, setExtra] = useState<Record<string, Pair[]>>(() =>
    Object.fromEntries(named.map(([k]) => [k, pairs(doc[k])])),
  );
  const [options, setOptions] = useState(() => readOptions(doc.options as OptionForm[] | undefined));
  const putOptions = (list: OptionForm[]) => {
    setOptions(list);
    const written = writeOptions(list);
    set("options", written.length > 0 ? written : undefined);
  };
  const set = (k: string, v: unknown) => {
    const next = Object.fromEntries(Object.entries({ ...doc, [k]: v }).filter(([, x]) => x !== undefined && x !== ""));
    setDoc(next);
  };
  const at = (k: string) => errors.find((e) => isAt(e.path, k))?.problem;
  const text = (k: string) => plain(doc[k]);
  const content = (doc.content ?? {}) as { amount?: string; of?: string };
  const known = new Set<string>([
    ...[...textFields, ...amountFields, ...named].map(([k]) => k as string),
    ...["sku", "tags", "attrs", "content", "taxClass", "unit", "minOrder", "hire", "options", "later", "onRequest"],
  ]);
  const field = (k: string, label: string, right = false) => (
    <label key={k} className="flex items-center gap-2">
      <span className="w-40 shrink-0 text-quiet">{label}</span>
      <span className="min-w-0 flex-1">
        {right ? (
          <DecimalInput
            aria-label={label}
            aria-invalid={at(k) !== undefined}
            readOnly={!may}
            className="field w-full text-right"
            value={text(k)}
            onChange={(v) => set(k, whole.has(k) && /^\d+$/.test(v) ? Number(v) : v)}
          />
        ) : (
          <input
            aria-label={label}
            aria-invalid={at(k) !== undefined}
            readOnly={!may}
            list={facets && ["category", "brand", "supplier", "type"].includes(k) ? `facet-${k}` : undefined}
            className="field w-full"
            value={text(k)}
            // A category as it is shown is that one, not one that looks alike.
            onChange={(e) => set(k, k === "category" ? e.target.value.replace(/\s*›\s*/g, "/") : e.target.value)}
          />
        )}
        <FieldError>{at(k) ?? (k === "gtin" && gtin ? gtin : undefined)}</FieldError>
      </span>
    </label>
  );
  const put = (k: string, list: Pair[]) => set(k, unpair(list, doc[k]));
  const rows = (list: Pair[], label: string, write: (l: Pair[]) => void, right: boolean) =>
    list.map((p, i) => (
      <span key={i} className="flex items-center gap-2">
        <input
          aria-label={`${label} ${i + 1}`}
          className="field w-40 shrink-0"
          readOnly={!may}
          placeholder={label}
          value={p.key}
          onChange={(e) => write(list.map((x, n) => (n === i ? { ...x, key: e.target.value } : x)))}
        />
        <input
          aria-label={`${label} ${i + 1}, value`}
          className={`field min-w-0 flex-1 ${right ? "text-right" : ""}`}
          readOnly={!may}
          value={p.value}
          onChange={(e) => write(list.map((x, n) => (n === i ? { ...x, value: e.target.value } : x)))}
        />
      </span>
    ));
  return (
    <div className="@container">
      <div className="grid grid-cols-2 gap-x-8 gap-y-1 @max-[700px]:grid-cols-1">
        <div className="space-y-1">
          {textFields.map(([k, label]) => field(k, label))}
          <span className="flex items-center gap-2">
            <span className="w-40 shrink-0 text-quiet">Tags</span>
            <CommaBlank
              label="Tags"
              className="field! min-w-0 flex-1 font-normal!"
              readOnly={!may}
              items={Array.isArray(doc.tags) ? (doc.tags as string[]) : []}
              onChange={(tags) => set("tags", tags.length > 0 ? tags : undefined)}
            />
          </span>
          {rows(attrs, "Attribute", (l) => (setAttrs(l), put("attrs", l)), false)}
          {may && <Add onClick={() => setAttrs([...attrs, { key: "", value: "" }])}>an attribute</Add>}
          <FieldError>{at("attrs") ?? at("tags")}</FieldError>
        </div>
        <div className="space-y-1">
          {amountFields.map(([k, label]) => field(k, label, true))}
          <label className="flex items-center gap-2">
            <span className="w-40 shrink-0 text-quiet">Price</span>
            <span className="flex min-w-0 flex-1 items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-ink"
                disabled={!may}
                checked={doc.onRequest === true}
                onChange={(e) => set("onRequest", e.target.checked || undefined)}
              />
              on request: none is shown, and none is missed
            </span>
          </label>
          <label className="flex items-center gap-2">
            <span className="w-40 shrink-0 text-quiet">Tax class</span>
            <select
              aria-label="Tax class"
              className="field min-w-0 flex-1"
              disabled={!may}
              value={text("taxClass")}
              onChange={(e) => set("taxClass", e.target.value)}
            >
              <option value="">none: no tax</option>
              {settings?.taxClasses.map((t) => (
                <option key={t.class} value={t.class}>
                  {t.class}, {t.percent} %
                </option>
              ))}
            </select>
          </label>
          <label className="flex items-center gap-2">
            <span className="w-40 shrink-0 text-quiet">Sold by the</span>
            <select
              aria-label="Sold by the"
              className="field min-w-0 flex-1"
              disabled={!may}
              value={text("unit") || "each"}
              onChange={(e) => set("unit", e.target.value === "each" ? undefined : e.target.value)}
            >
              <option value="each">piece</option>
              <option value="day">day (hire)</option>
              <option value="month">month</option>
            </select>
          </label>
          {(text("unit") === "day" || doc.hire !== undefined) && (
            <fieldset disabled={!may} className="leading-8">
              <HireHours
                value={doc.hire as HireTimes | undefined}
                above="its channel says"
                error={at("hire")}
                onChange={(hire) => set("hire", hire)}
              />
            </fieldset>
          )}
          <span className="flex items-center gap-2">
            <span className="w-40 shrink-0 text-quiet">Content</span>
            <DecimalInput
              aria-label="Content"
              className="field w-24 text-right"
              readOnly={!may}
              value={content.amount ?? ""}
              onChange={(v) => set("content", v || content.of ? { ...content, amount: v } : undefined)}
            />
            <input
              aria-label="Content is of"
              placeholder="kg"
              className="field w-20"
              readOnly={!may}
              value={content.of ?? ""}
              onChange={(e) =>
                set("content", e.target.value || content.amount ? { ...content, of: e.target.value } : undefined)
              }
            />
          </span>
          <FieldError>{at("content")}</FieldError>
          {field("minOrder", "Least order", true)}
          {named.map(([k, label]) => (
            <div key={k} className="space-y-1">
              {rows(
                extra[k] ?? [],
                label,
                (l) => {
                  setExtra({ ...extra, [k]: l });
                  put(k, l);
                },
                true,
              )}
              <FieldError>{at(k)}</FieldError>
            </div>
          ))}
          {options.map((o, i) => {
            const change = (part: Partial<OptionForm>) =>
              putOptions(options.map((x, n) => (n === i ? { ...x, ...part } : x)));
            return (
              <span key={i} className="flex items-center gap-2">
                <input
                  aria-label={`Option ${i + 1}`}
                  className="field w-40 shrink-0"
                  readOnly={!may}
                  placeholder="Option"
                  value={o.code}
                  onChange={(e) => change({ code: e.target.value })}
                />
                <DecimalInput
                  aria-label={`Option ${i + 1}, price`}
                  className="field min-w-0 flex-1 text-right"
                  readOnly={!may}
                  placeholder="adds"
                  value={o.price}
                  onChange={(price) => change({ price })}
                />
                <select
                  aria-label={`Option ${i + 1}, part of the price`}
                  className="field"
                  disabled={!may}
                  value={o.part || "options"}
                  onChange={(e) => change({ part: e.target.value === "options" ? "" : e.target.value })}
                >
                  <option value="options">as an option</option>
                  <option value="work">as work</option>
                </select>
                {may && (
                  <Out
                    label={`Take option ${o.code || i + 1} out`}
                    onClick={() => putOptions(options.filter((_, n) => n !== i))}
                  />
                )}
              </span>
            );
          })}
          <FieldError>{at("options")}</FieldError>
          {may && (
            <span className="flex flex-wrap gap-1.5">
              <Add onClick={() => setOptions([...options, { code: "", price: "", part: "" }])}>an option</Add>
              {named.map(([k, label]) => (
                <Add key={k} onClick={() => setExtra({ ...extra, [k]: [...(extra[k] ?? []), { key: "", value: "" }] })}>
                  {label.toLowerCase()}
                </Add>
              ))}
            </span>
          )}
        </div>
        <div className="col-span-full">
          <LaterFields later={doc.later} errors={errors} may={may} onChange={(later) => set("later", later)} />
        </div>
        {Object.keys(doc).some((k) => !known.has(k)) && (
          <p className="col-span-full text-[13px] text-quiet">
            It also says{" "}
            {Object.keys(doc)
              .filter((k) => !known.has(k))
              .join(", ")}
            , which is kept as it is.
          </p>
        )}
        {facets &&
          (
            [
              ["category", facets.categories],
              ["brand", facets.brands],
              ["supplier", facets.suppliers],
              ["type", facets.types],
            ] as const
          ).map(([k, list]) => (
            <datalist key={k} id={`facet-${k}`}>
              {list.slice(0, 300).map((v) => (
                <option key={v} value={v} />
              ))}
            </datalist>
          ))}
      </div>
    </div>
  );
}

/** What people call the keys of a product. */
export const fieldNames: Record<string, string> = Object.fromEntries([
  ...textFields,
  ...amountFields,
  ["tags", "Tags"],
  ["attrs", "Attributes"],
  ["later", "From a later day"],
  ["onRequest", "On request"],
]);

/** A text or a number of a document as it stands in a field. */
export const plain = (value: unknown) => (typeof value === "string" || typeof value === "number" ? String(value) : "");
