import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { EditChange, ProductPage as Page } from "../../api/client";
import { Problem } from "../../api/client";
import {
  useEdit,
  useEditEffect,
  useFacets,
  useMay,
  useProductPage,
  useProgramState,
  useSettings,
} from "../../api/queries";
import { amount, errorText, moment } from "../../lib/format";
import { carried, useViewpoint } from "../../lib/viewpoint";
import { Add } from "../../ui/blanks";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { Empty, Failed, FieldError } from "../../ui/states";
import { Elsewhere } from "../trail/Elsewhere";

type Doc = Record<string, unknown>;

/** One product: as it is kept, its prices for all groups and quantities, over time, its rules, variants and history. */
export function ProductPage() {
  const { sku = "" } = useParams();
  const { viewpoint, ready, params } = useViewpoint();
  const { data, error, refetch } = useProductPage(viewpoint, ready ? sku : "");
  const isNew = sku === "new";
  if (isNew) return <NewProduct />;
  if (error instanceof Problem && error.status === 404)
    return <Empty title={`There is no product ${sku}`}>It may have been deleted; Changes can take that back.</Empty>;
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const doc = data.doc as Doc;
  const name = typeof doc.name === "string" ? doc.name : sku;
  const style = typeof doc.style === "string" ? doc.style : "";
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto grid max-w-[1280px] grid-cols-[minmax(0,1fr)_420px] gap-8 px-6 pt-3 pb-12 max-[1100px]:grid-cols-1">
        <div>
          <p className="text-quiet">
            <Link className="underline underline-offset-2" to={`/catalogue/products${carried(params)}`}>
              Products
            </Link>{" "}
            › {typeof doc.category === "string" ? doc.category.split("/").join(" › ") : ""}
          </p>
          <div className="flex items-baseline gap-4 border-b-2 border-ink/25 pb-1">
            <h1 className="text-[21px] leading-snug [overflow-wrap:anywhere]">{name}</h1>
            <span className="whitespace-nowrap text-quiet">{sku}</span>
            <span className="ml-auto text-[21px] font-semibold whitespace-nowrap" data-testid="product-price">
              {amount(data.price)} <span className="text-[14px] font-normal text-quiet">{data.currency}</span>
            </span>
          </div>
          <p className="mt-1 flex gap-4 text-[14px]">
            {data.perContent && (
              <span data-testid="per-content">
                {amount(data.perContent)} {data.currency} per {data.of}
              </span>
            )}
            <span className="ml-auto flex gap-4">
              <Link className="underline underline-offset-2" to={`/board${withSku(carried(params), sku)}`}>
                Why this price
              </Link>
              <RuleForThis sku={sku} />
            </span>
          </p>
          <Fields key={data.etag} page={data} sku={sku} />
          <History history={data.history} />
        </div>
        <div>
          <Elsewhere viewpoint={viewpoint} sku={sku} open />
          {style !== "" && (
            <section aria-label="Variants" className="mt-5">
              <h3 className="border-b pb-1">
                Others of the style {style} <span className="font-normal text-quiet">{data.variants.length}</span>
              </h3>
              <table className="mt-1 w-full text-[14px]">
                <tbody>
                  {data.variants.map((v) => (
                    <tr key={v.sku} className="border-b border-dotted">
                      <td className="py-0.5 pr-2">
                        <Link
                          className="underline decoration-1 underline-offset-2"
                          to={`/catalogue/product/${encodeURIComponent(v.sku)}${carried(params)}`}
                        >
                          {v.name || v.sku}
                        </Link>
                      </td>
                      <td className="text-right text-quiet">{amount(v.list)}</td>
                      <td className="w-20 text-right font-medium">{amount(v.price)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </section>
          )}
        </div>
      </div>
    </div>
  );
}

const withSku = (query: string, sku: string) => {
  const next = new URLSearchParams(query);
  next.set("sku", sku);
  next.set("trail", "open");
  return "?" + next.toString();
};

function RuleForThis({ sku }: { sku: string }) {
  const { params } = useViewpoint();
  const navigate = useNavigate();
  if (!useMay("manager")) return null;
  return (
    <button
      type="button"
      className="underline underline-offset-2"
      onClick={() => {
        sessionStorage.setItem("dogbane-chosen", JSON.stringify([sku]));
        void navigate(`/stack/new${carried(params)}${carried(params) ? "&" : "?"}layer=sale&chosen=1`);
      }}
    >
      Make a rule for just this product
    </button>
  );
}

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

interface Pair {
  key: string;
  value: string;
}
const pairs = (o: unknown): Pair[] =>
  Object.entries((o ?? {}) as Record<string, unknown>).map(([key, value]) => ({ key, value: String(value) }));
const unpair = (list: Pair[]) =>
  Object.fromEntries(
    list.filter((p) => p.key.trim() !== "" && p.value.trim() !== "").map((p) => [p.key.trim(), p.value.trim()]),
  );

/** The product as it is kept, every part of it edited, with what that would do to prices before it is saved. */
function Fields({ page, sku }: { page: Page; sku: string }) {
  const saved = page.doc as Doc;
  const key = `dogbane-product ${sku}`;
  const [kept] = useState<{ etag: string; doc: Doc } | null>(() => {
    const text = sessionStorage.getItem(key);
    const draft = text ? (JSON.parse(text) as { etag: string; doc: Doc }) : null;
    return draft?.etag === page.etag ? draft : null;
  });
  const [doc, setDoc] = useState<Doc>(kept?.doc ?? saved);
  const may = useMay("manager");
  const { data: state } = useProgramState();
  const edit = useEdit();
  const dirty = JSON.stringify(doc) !== JSON.stringify(saved);
  useEffect(() => {
    if (dirty) sessionStorage.setItem(key, JSON.stringify({ etag: page.etag, doc }));
    else sessionStorage.removeItem(key);
  }, [dirty, key, page.etag, doc]);
  const change: EditChange = { kind: "products", code: sku, etag: page.etag, doc };
  const effect = useEditEffect(dirty ? [change] : null);
  const errors = dirty ? (effect.data?.errors ?? []) : [];
  const navigate = useNavigate();
  const { params } = useViewpoint();
  return (
    <form
      className="mt-3"
      aria-label="The product as it is kept"
      onSubmit={(e) => {
        e.preventDefault();
        if (errors.length === 0) edit.mutate({ changes: [change], summary: `Changed the product ${sku}` });
      }}
    >
      {kept && dirty && (
        <p role="status" className="mb-2 text-quiet">
          You left this unsaved; it is as you left it.
        </p>
      )}
      <ProductFields doc={doc} setDoc={setDoc} errors={errors} may={may} gtin={dirty ? "" : (page.gtinProblem ?? "")} />
      {dirty && (
        <div className="mt-3 rounded-[4px] border border-ink/25 bg-sheet px-3 py-2">
          <EffectNote effect={effect.data} busy={effect.isFetching} now={state?.now ?? ""} />
          {errors.length > 0 && <FieldError>This cannot be saved as it is; see above.</FieldError>}
          <div className="mt-2 flex gap-2">
            <Button look="ink" type="submit" disabled={!may || errors.length > 0 || edit.isPending}>
              Save the product
            </Button>
            <Button onClick={() => setDoc(saved)}>Put it back as it was</Button>
          </div>
        </div>
      )}
      {edit.error && (
        <p className="mt-1">
          <FieldError>{errorText(edit.error)}</FieldError>
        </p>
      )}
      {may && !dirty && (
        <p className="mt-3">
          <Button
            look="danger"
            disabled={edit.isPending}
            onClick={() =>
              // The product's query fails before the callbacks of mutate would run: only the promise still tells.
              void edit
                .mutateAsync({
                  changes: [{ kind: "products", code: sku, etag: page.etag }],
                  summary: `Deleted the product ${sku}`,
                })
                .then(
                  () => navigate(`/catalogue/products${carried(params)}`),
                  () => undefined, // shown below
                )
            }
          >
            Delete the product
          </Button>
        </p>
      )}
    </form>
  );
}

interface FieldsProps {
  doc: Doc;
  setDoc: (d: Doc) => void;
  errors: { path: string; problem: string }[];
  may: boolean;
  gtin: string;
}

function ProductFields({ doc, setDoc, errors, may, gtin }: FieldsProps) {
  const { data: facets } = useFacets();
  const { data: settings } = useSettings();
  const [attrs, setAttrs] = useState(() => pairs(doc.attrs));
  const [extra, setExtra] = useState<Record<string, Pair[]>>(() =>
    Object.fromEntries(named.map(([k]) => [k, pairs(doc[k])])),
  );
  const set = (k: string, v: unknown) => {
    const next = Object.fromEntries(Object.entries({ ...doc, [k]: v }).filter(([, x]) => x !== undefined && x !== ""));
    setDoc(next);
  };
  const at = (k: string) =>
    errors.find((e) => e.path === k || e.path.startsWith(k + ".") || e.path.startsWith(k + "["))?.problem;
  const text = (k: string) => (doc[k] === undefined ? "" : String(doc[k]));
  const content = (doc.content ?? {}) as { amount?: string; of?: string };
  const known = new Set<string>([
    ...[...textFields, ...amountFields, ...named].map(([k]) => k as string),
    ...["sku", "tags", "attrs", "content", "taxClass", "unit", "minOrder"],
  ]);
  const field = (k: string, label: string, right = false) => (
    <label key={k} className="flex items-center gap-2">
      <span className="w-40 shrink-0 text-quiet">{label}</span>
      <span className="min-w-0 flex-1">
        <input
          aria-label={label}
          aria-invalid={at(k) !== undefined}
          readOnly={!may}
          list={facets && ["category", "brand", "supplier", "type"].includes(k) ? `facet-${k}` : undefined}
          inputMode={right ? "decimal" : undefined}
          className={`field w-full ${right ? "text-right" : ""}`}
          value={text(k)}
          onChange={(e) => {
            const v = e.target.value;
            set(k, whole.has(k) && /^\d+$/.test(v) ? Number(v) : v);
          }}
        />
        <FieldError>{at(k) ?? (k === "gtin" && gtin ? gtin : undefined)}</FieldError>
      </span>
    </label>
  );
  const put = (k: string, list: Pair[]) => {
    const o = unpair(list);
    set(k, Object.keys(o).length > 0 ? o : undefined);
  };
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
    <div className="grid grid-cols-2 gap-x-8 gap-y-1 max-[1000px]:grid-cols-1">
      <div className="space-y-1">
        {textFields.map(([k, label]) => field(k, label))}
        <label className="flex items-center gap-2">
          <span className="w-40 shrink-0 text-quiet">Tags</span>
          <input
            aria-label="Tags"
            className="field min-w-0 flex-1"
            readOnly={!may}
            value={Array.isArray(doc.tags) ? doc.tags.join(", ") : ""}
            onChange={(e) =>
              set("tags", e.target.value.trim() ? e.target.value.split(",").map((t) => t.trimStart()) : undefined)
            }
          />
        </label>
        {rows(attrs, "Attribute", (l) => (setAttrs(l), put("attrs", l)), false)}
        {may && <Add onClick={() => setAttrs([...attrs, { key: "", value: "" }])}>an attribute</Add>}
        <FieldError>{at("attrs") ?? at("tags")}</FieldError>
      </div>
      <div className="space-y-1">
        {amountFields.map(([k, label]) => field(k, label, true))}
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
        <span className="flex items-center gap-2">
          <span className="w-40 shrink-0 text-quiet">Content</span>
          <input
            aria-label="Content"
            inputMode="decimal"
            className="field w-24 text-right"
            readOnly={!may}
            value={content.amount ?? ""}
            onChange={(e) =>
              set("content", e.target.value || content.of ? { ...content, amount: e.target.value } : undefined)
            }
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
        {may && (
          <span className="flex flex-wrap gap-1.5">
            {named.map(([k, label]) => (
              <Add key={k} onClick={() => setExtra({ ...extra, [k]: [...(extra[k] ?? []), { key: "", value: "" }] })}>
                {label.toLowerCase()}
              </Add>
            ))}
          </span>
        )}
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
  );
}

/** A product that is not in the book yet. */
function NewProduct() {
  const [doc, setDoc] = useState<Doc>({ sku: "" });
  const [tried, setTried] = useState(false);
  const sku = String(doc.sku ?? "").trim();
  const change: EditChange = { kind: "products", code: sku, doc: { ...doc, sku } };
  const effect = useEditEffect(sku ? [change] : null);
  const errors = sku ? (effect.data?.errors ?? []) : [];
  const edit = useEdit();
  const may = useMay("manager");
  const navigate = useNavigate();
  const { params } = useViewpoint();
  return (
    <div className="h-full overflow-y-auto">
      <form
        className="mx-auto max-w-[900px] px-6 pt-3 pb-12"
        onSubmit={(e) => {
          e.preventDefault();
          setTried(true);
          if (sku && errors.length === 0)
            edit.mutate(
              { changes: [change], summary: `Made the product ${sku}` },
              { onSuccess: () => void navigate(`/catalogue/product/${encodeURIComponent(sku)}${carried(params)}`) },
            );
        }}
      >
        <h1 className="border-b-2 border-ink/25 pb-1 text-[21px]">New product</h1>
        <label className="mt-3 mb-1 flex items-center gap-2">
          <span className="w-40 shrink-0 text-quiet">SKU</span>
          <input
            aria-label="SKU"
            autoFocus
            className="field w-60"
            value={String(doc.sku ?? "")}
            onChange={(e) => setDoc({ ...doc, sku: e.target.value })}
          />
          <FieldError>
            {tried && !sku ? "Write the SKU." : errors.find((e) => e.path === "sku" || e.path === "code")?.problem}
          </FieldError>
        </label>
        <ProductFields doc={doc} setDoc={setDoc} errors={errors} may={may} gtin="" />
        <p className="mt-4 flex items-center gap-2">
          <Button look="ink" type="submit" disabled={!may || edit.isPending || effect.isFetching}>
            Make the product
          </Button>
          {edit.error && <FieldError>{errorText(edit.error)}</FieldError>}
        </p>
      </form>
    </div>
  );
}

const fieldNames: Record<string, string> = Object.fromEntries([
  ...textFields,
  ...amountFields,
  ["tags", "Tags"],
  ["attrs", "Attributes"],
]);

function History({ history }: { history: Page["history"] }) {
  const { data: state } = useProgramState();
  return (
    <section aria-label="History" className="mt-6">
      <h3 className="border-b pb-1">History</h3>
      {history.length === 0 && (
        <p className="mt-1 text-quiet">Nothing has been changed here since the book was set up.</p>
      )}
      {history.map((h) => (
        <div key={h.entry} className="flex gap-4 border-b border-dotted py-1 text-[14px]">
          <span className="w-36 shrink-0 text-quiet">{moment(h.at, state?.now)}</span>
          <span className="min-w-0 flex-1">
            {h.what === "new" && "Made. "}
            {h.what === "gone" && "Deleted. "}
            {h.fields.map((f) => (
              <span key={f.field} className="mr-3 inline-block break-all">
                <span className="text-quiet">{fieldNames[f.field] ?? f.field}</span> {f.was && <s>{f.was}</s>}{" "}
                <b className="font-medium">{f.is || "none"}</b>
              </span>
            ))}
            <span className="block text-[13px] text-quiet">{h.summary}</span>
          </span>
          <span className="text-quiet">{h.who}</span>
        </div>
      ))}
    </section>
  );
}
