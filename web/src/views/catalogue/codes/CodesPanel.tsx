import { Link } from "react-router";
import { useCodeOffers } from "../../../api/codes";
import type { Schema } from "../../../api/client";
import { useProgramState } from "../../../api/state";
import { addressOf } from "../../../lib/address";
import { count } from "../../../lib/format";
import { standingWords } from "../../../lib/sentence";
import { useViewpoint } from "../../../lib/viewpoint";
import { Empty, Failed } from "../../../ui/states";
import { OfferCodes } from "./OfferCodes";

type Offer = Schema["CodeOffer"];

/** The codes that open offers: those in the book, those beside it, and who used which. */
export function CodesPanel() {
  const { data, error, refetch } = useCodeOffers();
  const { data: state } = useProgramState();
  const { params, set } = useViewpoint();
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  if (data.offers.length === 0)
    return (
      <Empty title="No offer wants a code yet">
        <Link
          className="font-medium underline underline-offset-2"
          to={addressOf("/stack/new", params, { layer: "promotion" })}
        >
          Write a promotion
        </Link>{" "}
        with the shape of the deal that it opens, and add a code to its sentence.
      </Empty>
    );
  const chosen = data.offers.find((o) => o.rule === params.get("item")) ?? data.offers[0];
  return (
    <div className="flex h-full min-h-0">
      <ul aria-label="Offers with codes" className="w-[330px] shrink-0 overflow-y-auto border-r">
        {data.offers.map((o) => (
          <li key={o.rule}>
            <button
              type="button"
              aria-current={o.rule === chosen?.rule}
              className={`w-full border-b px-4 py-2 text-left ${o.rule === chosen?.rule ? "bg-wash" : "hover:bg-wash/60"}`}
              onClick={() => set({ item: o.rule })}
            >
              <span className="block font-semibold">{o.name}</span>
              <span className="block text-[13px] text-quiet">
                {about(o)} · {standingWords(o, state?.now ?? "")}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {chosen && <OfferCodes key={chosen.rule} offer={chosen} />}
    </div>
  );
}

function about(o: Offer) {
  const parts = [];
  if (o.words.length > 0) parts.push(o.words.length === 1 ? o.words[0] : `${count(o.words.length)} words`);
  if (o.listed) parts.push(`${count(o.count)} codes beside the book`);
  parts.push(o.used === 0 ? "not used yet" : o.used === 1 ? "used once" : `used ${count(o.used)} times`);
  return parts.join(" · ");
}
