import { useStorefront } from "../../api/storefront";
import type { Viewpoint } from "../../api/viewpoint";
import { amount } from "../../lib/format";

/** What a shop can show of the product: the price table in words, the lowest of its variants, texts and images of rules. */
export function CustomersSee({ viewpoint, sku }: { viewpoint: Viewpoint; sku: string }) {
  const { data } = useStorefront(viewpoint, sku);
  if (!data || data.price === null) return null;
  return (
    <section aria-label="What customers see" className="mt-5">
      <h3 className="border-b pb-1">What customers see</h3>
      {data.from && (
        <p className="mt-1.5">
          On the page of the style: <b>{data.from.words}</b>
        </p>
      )}
      {data.texts.map((t) => (
        <div key={t.rule} className="mt-1.5 flex gap-3">
          {t.image && <img src={t.image} alt={t.alt ?? ""} className="h-16 w-24 rounded-[3px] object-cover" />}
          <p>
            {t.label && <b className="mr-2">{t.label}</b>}
            {t.badge && <span className="mr-2 rounded-full border border-ink/40 px-2 text-[13px]">{t.badge}</span>}
            {t.message}
            {t.terms && <span className="block text-[13px] text-quiet">{t.terms}</span>}
          </p>
        </div>
      ))}
      {data.table.length > 0 ? (
        <>
          <h4 className="mt-2 font-medium">{data.title}</h4>
          <ul data-testid="price-table">
            {data.table.map((r) => (
              <li key={r.from} className="border-b border-dotted py-0.5">
                {r.words}
              </li>
            ))}
          </ul>
        </>
      ) : (
        <p className="mt-1.5 text-quiet">
          One price, {amount(data.price)}, for any quantity{data.texts.length === 0 && "; no rule says anything to it"}.
        </p>
      )}
    </section>
  );
}
