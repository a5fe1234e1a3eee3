import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import { ConflictNote, FoundNote } from "../../ui/draft-notes";
import { useDraft } from "../../lib/draft";
import { refresh } from "../../api/saving";
import { useEdit } from "../../api/edits";
import { useEditImpact } from "../../api/impact";
import { useProductPage } from "../../api/products";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { addressOf, carried } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import type { EditChange, ProductPage as Page } from "../../api/client";
import { Problem } from "../../api/client";
import { amount, errorText, moment } from "../../lib/format";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { rememberFocus } from "../../ui/focus";
import { Empty, Failed, FieldError } from "../../ui/states";
import { Elsewhere } from "../../parts/products/Elsewhere";
import { CustomersSee } from "./CustomersSee";
import { HireCalendar } from "./HireCalendar";
import { fieldNames, plain, ProductFields, type Doc } from "./ProductFields";
import { laterWords } from "./product-form";
import { fromAddress, lastPart, productPage } from "../../lib/sku";

/** One product: as it is kept, its prices for all groups and quantities, over time, its rules, variants and history. */
export function ProductPage() {
  const { pathname } = useLocation();
  const part = lastPart(pathname);
  const sku = fromAddress(part);
  const { viewpoint, ready, params } = useViewpoint();
  const { data, error, refetch } = useProductPage(viewpoint, ready && part !== "new" ? sku : "");
  if (part === "new") return <NewProduct />;
  if (error instanceof Problem && error.status === 404)
    return <Empty title={`There is no product ${sku}`}>It may have been deleted; Changes can take that back.</Empty>;
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const doc = data.doc;
  const name = typeof doc.name === "string" ? doc.name : sku;
  const style = typeof doc.style === "string" ? doc.style : "";
  return (
    <div className="@container h-full overflow-y-auto">
      {/* By its own width, not the window's: the trail may stand open beside it. */}
      <div className="mx-auto grid max-w-[1280px] grid-cols-[minmax(0,1fr)_420px] gap-8 px-6 pt-3 pb-12 @max-[1100px]:grid-cols-1">
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
            {data.liveTags.add.length + data.liveTags.remove.length > 0 && (
              <span data-testid="live-tags">
                {data.liveTags.add.length > 0 && `tagged ${data.liveTags.add.join(", ")}`}
                {data.liveTags.remove.length > 0 && ` without ${data.liveTags.remove.join(", ")}`}{" "}
                <span className="text-quiet">while a rule is live</span>
              </span>
            )}
            <span className="ml-auto flex gap-4">
              <Link className="underline underline-offset-2" to={addressOf("/board", params, { sku, trail: "open" })}>
                Why this price
              </Link>
              <RuleForThis sku={sku} />
            </span>
          </p>
          <Fields key={sku} page={data} sku={sku} />
          <History history={data.history} />
        </div>
        <div>
          <Elsewhere viewpoint={viewpoint} sku={sku} open />
          {doc.unit === "day" && <HireCalendar viewpoint={viewpoint} sku={sku} />}
          <CustomersSee viewpoint={viewpoint} sku={sku} />
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
                          to={productPage(v.sku) + carried(params)}
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
        void navigate(addressOf("/stack/new", params, { layer: "sale", chosen: "1" }));
      }}
    >
      Make a rule for just this product
    </button>
  );
}

/** The product as it is kept, every part of it edited, with what that would do to prices before it is saved. */
function Fields({ page, sku }: { page: Page; sku: string }) {
  const saved = page.doc;
  const draft = useDraft<Doc>(`dogbane-product ${sku}`, saved, page.etag);
  const { value: doc, set: setDoc, dirty, etag } = draft;
  const may = useMay("manager");
  const { data: state } = useProgramState();
  const edit = useEdit(() => draft.forget());
  const change: EditChange = { kind: "products", code: sku, etag, doc };
  const effect = useEditImpact(dirty ? [change] : null);
  const errors = dirty ? (effect.data?.errors ?? []) : [];
  const navigate = useNavigate();
  const client = useQueryClient();
  const { params } = useViewpoint();
  const restart = () => {
    draft.restart(saved, page.etag);
  };
  return (
    <form
      className="mt-3"
      aria-label="The product as it is kept"
      onSubmit={(e) => {
        e.preventDefault();
        if (errors.length > 0) return;
        const refocus = rememberFocus();
        edit.mutate(
          { changes: [change], summary: `Changed the product ${sku}` },
          { onSuccess: refocus, onError: (e) => void (draft.refused(e) && refresh(client)) },
        );
      }}
    >
      {draft.found && <FoundNote onRestart={restart} />}
      {draft.theirs !== undefined && (
        <ConflictNote
          one="product"
          deleted={draft.theirs === null}
          theirs={JSON.stringify(draft.theirs)}
          yours={JSON.stringify(doc)}
          onTake={restart}
          onKeep={() => {
            draft.rebase(page.etag);
          }}
        />
      )}
      <ProductFields
        key={draft.round}
        doc={doc}
        setDoc={setDoc}
        errors={errors}
        may={may}
        gtin={dirty ? "" : (page.gtinProblem ?? "")}
      />
      {dirty && (
        <div className="mt-3 rounded-[4px] border border-ink/25 bg-sheet px-3 py-2">
          <div className="flex gap-2">
            <Button look="ink" type="submit" disabled={!may || errors.length > 0 || edit.isPending}>
              Save the product
            </Button>
            <Button onClick={restart}>Put it back as it was</Button>
          </div>
          <div className="mt-2">
            <EffectNote effect={effect.data} busy={effect.isFetching} now={state?.now ?? ""} />
            {errors.length > 0 && <FieldError>This cannot be saved as it is; see above.</FieldError>}
          </div>
        </div>
      )}
      {edit.error && draft.theirs === undefined && (
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

/** A product that is not in the book yet. */
function NewProduct() {
  const [doc, setDoc] = useState<Doc>({ sku: "" });
  const [tried, setTried] = useState(false);
  const sku = plain(doc.sku).trim();
  const change: EditChange = { kind: "products", code: sku, doc: { ...doc, sku } };
  const effect = useEditImpact(sku ? [change] : null);
  const errors = sku ? (effect.data?.errors ?? []) : [];
  const navigate = useNavigate();
  const { params } = useViewpoint();
  const edit = useEdit(() => void navigate(productPage(sku) + carried(params)));
  const may = useMay("manager");
  return (
    <div className="h-full overflow-y-auto">
      <form
        className="mx-auto max-w-[900px] px-6 pt-3 pb-12"
        onSubmit={(e) => {
          e.preventDefault();
          setTried(true);
          if (sku && errors.length === 0) edit.mutate({ changes: [change], summary: `Made the product ${sku}` });
        }}
      >
        <h1 className="border-b-2 border-ink/25 pb-1 text-[21px]">New product</h1>
        <label className="mt-3 mb-1 flex items-center gap-2">
          <span className="w-40 shrink-0 text-quiet">SKU</span>
          <input
            aria-label="SKU"
            autoFocus
            className="field w-60"
            value={plain(doc.sku)}
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

const inWords = (field: string, value: string, now?: string) => (field === "later" ? laterWords(value, now) : value);

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
                <span className="text-quiet">{fieldNames[f.field] ?? f.field}</span>{" "}
                {f.was && <s>{inWords(f.field, f.was, state?.now)}</s>}{" "}
                <b className="font-medium">{inWords(f.field, f.is, state?.now) || "none"}</b>
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
