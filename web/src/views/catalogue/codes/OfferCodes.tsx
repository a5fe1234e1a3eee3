import { Download } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { codesFile, useCodes, useCodeUses } from "../../../api/codes";
import type { Schema } from "../../../api/client";
import { useMay } from "../../../api/session";
import { useProgramState } from "../../../api/state";
import { carried } from "../../../lib/address";
import { count, moment } from "../../../lib/format";
import { useNames } from "../../../lib/names";
import { useTyped } from "../../../lib/typed";
import { useViewpoint } from "../../../lib/viewpoint";
import { Button } from "../../../ui/button";
import { MakeCodes } from "./MakeCodes";

/** One offer's codes: what they are limited to, how more are made, each with its uses. */
export function OfferCodes({ offer }: { offer: Schema["CodeOffer"] }) {
  const { params } = useViewpoint();
  const may = useMay("manager");
  const limits = [
    offer.uses === null
      ? "each any number of times"
      : offer.uses === 1
        ? "each once"
        : `each ${count(offer.uses)} times`,
    offer.usesPerCustomer === null
      ? ""
      : offer.usesPerCustomer === 1
        ? "once by a customer"
        : `${count(offer.usesPerCustomer)} times by a customer`,
  ].filter(Boolean);
  return (
    <section aria-label={offer.name} className="min-w-0 flex-1 overflow-y-auto px-6 py-4">
      <h2 className="text-[18px]">
        <Link
          className="underline decoration-1 underline-offset-2"
          to={`/stack/rule/${encodeURIComponent(offer.rule)}${carried(params)}`}
        >
          {offer.name}
        </Link>
      </h2>
      <p className="text-quiet">
        Its codes are used {limits.join(", ")}. An order that is cancelled gives its use back.
      </p>
      {offer.words.length > 0 && (
        <p className="mt-2">
          In the book:{" "}
          {offer.words.map((w) => (
            <code key={w} className="mr-2 rounded-[3px] bg-wash px-1.5 font-sans font-semibold">
              {w}
            </code>
          ))}
        </p>
      )}
      {offer.listed ? (
        <>
          {may && <MakeCodes offer={offer} />}
          {offer.count > 0 && <Words offer={offer} />}
        </>
      ) : (
        <p className="mt-3 text-quiet">
          Codes by the thousand are kept beside the book: say so in the sentence of the offer, and they are made here.
        </p>
      )}
      <Uses rule={offer.rule} />
    </section>
  );
}

function Words({ offer }: { offer: Schema["CodeOffer"] }) {
  const { data: state } = useProgramState();
  const [holding, setHolding] = useState("");
  const [used, setUsed] = useState(false);
  const typed = useTyped(holding, (text) => setHolding(text.trim().toUpperCase()));
  const words = useCodes(offer.rule, holding, used);
  const rows = words.data?.pages.flatMap((p) => p.codes) ?? [];
  return (
    <>
      <div className="mt-4 flex items-center gap-3 border-b-2 border-ink pb-1">
        <h3>{count(offer.count)} codes beside the book</h3>
        <input
          aria-label="Find a code"
          className="field w-40"
          placeholder="Find a code"
          value={typed.text}
          onChange={(e) => typed.type(e.target.value)}
          onBlur={typed.done}
        />
        <label className="flex items-center gap-1.5">
          <input type="checkbox" className="accent-ink" checked={used} onChange={(e) => setUsed(e.target.checked)} />
          used ones only
        </label>
        <a
          href={codesFile(offer.rule)}
          download
          className="ml-auto inline-flex min-h-7 items-center gap-1.5 rounded-[3px] border border-ink/40 px-2.5 font-medium hover:bg-wash"
        >
          <Download size={14} aria-hidden /> CSV
        </a>
      </div>
      <ul className="columns-[220px] gap-6 pt-1" data-testid="codes">
        {rows.map((c) => (
          <li key={c.word} className="flex break-inside-avoid gap-3 border-b border-dotted py-0.5">
            <span className="font-semibold">{c.word}</span>
            <span className="ml-auto text-quiet">
              {c.uses === 0 ? "" : `${count(c.uses)} × ${c.last ? moment(c.last, state?.now) : ""}`}
            </span>
          </li>
        ))}
      </ul>
      {rows.length === 0 && words.data && <p className="py-2 text-quiet">No code is like that.</p>}
      {words.hasNextPage && (
        <Button className="mt-2" onClick={() => void words.fetchNextPage()} disabled={words.isFetchingNextPage}>
          Show more
        </Button>
      )}
    </>
  );
}

function Uses({ rule }: { rule: string }) {
  const { data } = useCodeUses(rule, "");
  const { data: state } = useProgramState();
  const names = useNames();
  if (!data) return null;
  return (
    <>
      <h3 className="mt-6 border-b-2 border-ink pb-1">Used</h3>
      {data.uses.length === 0 && <p className="py-1.5 text-quiet">Nobody has used it yet.</p>}
      <table className="w-full" data-testid="uses">
        <tbody>
          {data.uses.map((u) => (
            <tr key={u.channel + u.key} className={`border-b border-dotted ${u.givenBack ? "text-quiet" : ""}`}>
              <td className="py-1 pr-3 whitespace-nowrap">{moment(u.at, state?.now)}</td>
              <td className="pr-3 font-semibold">{u.code || "without a code"}</td>
              <td className="pr-3">{u.customer ? names("customers", u.customer) : "a guest"}</td>
              <td className="pr-3">{names("channels", u.channel)}</td>
              <td className="pr-3 [overflow-wrap:anywhere] text-quiet">{u.key}</td>
              <td className="text-right">
                {u.givenBack
                  ? `given back ${moment(u.givenBack, state?.now)}`
                  : u.applications > 1
                    ? `${u.applications} ×`
                    : ""}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
