import type { DocError } from "../../api/client";
import { Add, Blank, Choice, Out } from "../../ui/blanks";
import { FieldError } from "../../ui/states";
import { GoodsBlank } from "./GoodsBlank";
import { GiveControl } from "./GiveControl";
import { lacksOf, newGive, newNeed, type NeedForm, type OfferForm } from "./offer-form";

interface Props {
  offer: OfferForm;
  /** What the core found wrong with the rule. */
  errors: DocError[];
  /** Whether blanks that are still empty are reproached. */
  tried: boolean;
  onChange: (offer: OfferForm) => void;
  /** Whether no later offer applies where this one did. */
  then: boolean;
  onThen: (on: boolean) => void;
}

const upper = (s: string) => s.charAt(0).toUpperCase() + s.slice(1);

/** What an offer wants, what it gives, and how often: the sentence of a deal, of any form. */
export function OfferControl({ offer, errors, tried, onChange, then, onThen }: Props) {
  const change = (part: Partial<OfferForm>) => onChange({ ...offer, ...part });
  const lacks = lacksOf(offer);
  const wrong = new Map<string, string>();
  for (const e of errors) if (e.path.startsWith("offer.")) wrong.set(e.path.slice(6), upper(e.problem) + ".");
  for (const [path, text] of lacks) {
    if (tried) wrong.set(path, text);
    else wrong.delete(path);
  }
  const err = (path: string) => <FieldError>{wrong.get(path)}</FieldError>;
  const bad = (path: string) => wrong.has(path) || undefined;
  const need = (key: number, part: Partial<NeedForm>) =>
    change({ needs: offer.needs.map((n) => (n.key === key ? { ...n, ...part } : n)) });
  return (
    <div className="space-y-1.5" data-testid="offer">
      {offer.needs.map((n, i) => (
        <p key={n.key}>
          {i === 0 ? "For " : "and "}
          <Blank
            label={`How many of need ${i + 1}`}
            inputMode="numeric"
            className="w-9 text-center"
            bad={bad(`needs[${i}].quantity`)}
            value={n.quantity}
            onChange={(quantity) => need(n.key, { quantity })}
          />{" "}
          of{" "}
          <GoodsBlank
            label={`Goods of need ${i + 1}`}
            goods={n.goods}
            bad={bad(`needs[${i}].where`)}
            onChange={(goods) => need(n.key, { goods })}
          />
          ,{" "}
          <Choice
            label={`How alike need ${i + 1} is`}
            value={n.same}
            options={[
              ["", "mixed as one likes"],
              ["sku", "all the same product"],
              ["style", "all of one style"],
            ]}
            onChange={(same) => need(n.key, { same })}
          />
          <Out
            label={`Take need ${i + 1} out`}
            onClick={() =>
              change({
                needs: offer.needs.filter((x) => x.key !== n.key),
                gives: offer.gives.map((g) => (g.to === `need:${n.id}` ? { ...g, to: "basket" } : g)),
              })
            }
          />{" "}
          {err(`needs[${i}].quantity`)} {err(`needs[${i}].where`)} {err(`needs[${i}].id`)}
        </p>
      ))}
      {offer.spend && (
        <p>
          {offer.needs.length === 0 ? "Where " : "where also "}
          <Blank
            label="Amount to be spent"
            inputMode="decimal"
            bad={bad("spend.amount")}
            value={offer.spend.amount}
            onChange={(amount) => offer.spend && change({ spend: { ...offer.spend, amount } })}
          />{" "}
          is spent on{" "}
          <GoodsBlank
            label="Goods that count for the amount"
            goods={offer.spend.goods}
            bad={bad("spend.where")}
            onChange={(goods) => offer.spend && change({ spend: { ...offer.spend, goods } })}
          />
          ,{" "}
          <Choice
            label="How often the amount counts"
            value={offer.spend.every ? "every" : "once"}
            options={[
              ["once", "once"],
              ["every", "each time again"],
            ]}
            onChange={(every) => offer.spend && change({ spend: { ...offer.spend, every: every === "every" } })}
          />
          <Out label="No amount to be spent" onClick={() => change({ spend: null })} /> {err("spend.amount")}{" "}
          {err("spend.where")}
        </p>
      )}
      {offer.after && (
        <p>
          within{" "}
          <Blank
            label="Days after the purchase"
            inputMode="numeric"
            className="w-10 text-center"
            bad={bad("after.days")}
            value={offer.after.days}
            onChange={(days) => offer.after && change({ after: { ...offer.after, days } })}
          />{" "}
          days after buying{" "}
          <GoodsBlank
            label="Goods bought before"
            goods={offer.after.goods}
            bad={bad("after.where")}
            onChange={(goods) => offer.after && change({ after: { ...offer.after, goods } })}
          />
          <Out label="Not after a purchase" onClick={() => change({ after: null })} /> {err("after.days")}{" "}
          {err("after.where")}
        </p>
      )}
      {offer.codes && (
        <CodesPart
          offer={offer}
          change={change}
          err={err}
          bad={bad}
          errors={[...wrong].flatMap(([path, text]) => (path.startsWith("codes.words[") ? [text] : []))}
        />
      )}
      {offer.gives.map((g, i) => (
        <GiveControl
          key={g.key}
          give={g}
          place={i}
          path={offer.gives.length === 1 ? "gives" : `gives[${i}]`}
          offer={offer}
          wrong={wrong}
          onChange={(next) => change({ gives: offer.gives.map((x) => (x.key === g.key ? next : x)) })}
          onWant={(quantity, units) =>
            change({
              needs: offer.needs.map((n) => (g.to === `need:${n.id}` ? { ...n, quantity } : n)),
              gives: offer.gives.map((x) => (x.key === g.key ? { ...x, units } : x)),
            })
          }
          onRemove={() => change({ gives: offer.gives.filter((x) => x.key !== g.key) })}
        />
      ))}
      {offer.gives.length === 0 && err("gives")}
      <Bounds offer={offer} change={change} err={err} bad={bad} />
      {then && (
        <p>
          and where it applied, no later offer does
          <Out label="Let later offers apply too" onClick={() => onThen(false)} />
        </p>
      )}
      <p className="flex flex-wrap gap-1.5">
        <Add onClick={() => change({ needs: [...offer.needs, newNeed(offer.needs)] })}>goods wanted</Add>
        {!offer.spend && (
          <Add
            onClick={() =>
              change({ spend: { goods: { ...newGive("goods").goods, everything: true }, amount: "", every: false } })
            }
          >
            amount spent
          </Add>
        )}
        {!offer.after && (
          <Add onClick={() => change({ after: { goods: newGive("goods").goods, days: "30" } })}>after a purchase</Add>
        )}
        {!offer.codes && (
          <Add
            onClick={() =>
              change({ codes: { words: "", listed: false, uses: "", usesPerCustomer: "", graceDays: "" } })
            }
          >
            code
          </Add>
        )}
        <Add onClick={() => change({ gives: [...offer.gives, newGive("basket")] })}>something given</Add>
        {offer.repeat === "" && <Add onClick={() => change({ repeat: "1" })}>most times an order</Add>}
        {offer.maxUnits === "" && offer.gives.some((g) => g.to === "goods" || g.to.startsWith("need:")) && (
          <Add onClick={() => change({ maxUnits: "4" })}>most pieces reduced</Add>
        )}
        {offer.maxOff === "" && <Add onClick={() => change({ maxOff: "20" })}>most off</Add>}
        {offer.stock === "" && <Add onClick={() => change({ stock: "100" })}>so many in all</Add>}
        {offer.perCustomer === "" && <Add onClick={() => change({ perCustomer: "1" })}>so many a customer</Add>}
        {!offer.skipReduced && <Add onClick={() => change({ skipReduced: true })}>not with reduced goods</Add>}
        {!then && <Add onClick={() => onThen(true)}>no later offer</Add>}
      </p>
    </div>
  );
}

interface PartProps {
  offer: OfferForm;
  change: (part: Partial<OfferForm>) => void;
  err: (path: string) => React.ReactNode;
  bad: (path: string) => true | undefined;
}

/** More words than these are a list to look up, not a sentence to read. */
const handful = 12;

function CodesPart({ offer, change, err, bad, errors }: PartProps & { errors: string[] }) {
  const { codes } = offer;
  if (!codes) return null;
  const set = (part: Partial<typeof codes>) => change({ codes: { ...codes, ...part } });
  return (
    <p>
      with one of the codes{" "}
      <Blank
        label="Code words"
        className="min-w-32"
        placeholder={codes.listed ? "none here" : "CLAY-DAY, WHEEL-10"}
        bad={bad("codes.words")}
        value={codes.words}
        onChange={(words) => set({ words })}
      />{" "}
      <label className="mr-1 inline-flex items-center gap-1 text-[14px]">
        <input
          type="checkbox"
          className="accent-ink"
          checked={codes.listed}
          onChange={(e) => set({ listed: e.target.checked })}
        />
        and codes kept beside the book
      </label>
      , each used{" "}
      <Blank
        label="Uses of a code"
        inputMode="numeric"
        className="w-24 text-center"
        placeholder="any number"
        bad={bad("codes.uses")}
        value={codes.uses}
        onChange={(uses) => set({ uses })}
      />{" "}
      times, by one customer{" "}
      <Blank
        label="Uses of a code by a customer"
        inputMode="numeric"
        className="w-24 text-center"
        placeholder="any number"
        bad={bad("codes.usesPerCustomer")}
        value={codes.usesPerCustomer}
        onChange={(usesPerCustomer) => set({ usesPerCustomer })}
      />
      , still taken{" "}
      <Blank
        label="Days of grace"
        inputMode="numeric"
        className="w-8 text-center"
        placeholder="0"
        bad={bad("codes.graceDays")}
        value={codes.graceDays}
        onChange={(graceDays) => set({ graceDays })}
      />{" "}
      days after the end
      <Out label="Without a code" onClick={() => change({ codes: null })} /> {err("codes.words")} {err("codes.uses")}{" "}
      {err("codes.usesPerCustomer")} {err("codes.graceDays")}
      {errors.map((text) => (
        <FieldError key={text}>{text} </FieldError>
      ))}
      {!codes.listed && codes.words.split(/[\s,;]+/).length > handful && (
        <span className="text-[13px] text-quiet">
          So many are easier kept beside the book: save the deal with “codes kept beside the book”, then paste them
          under Catalogue, Codes.
        </span>
      )}
    </p>
  );
}

/** How often and how much at most. */
function Bounds({ offer, change, err, bad }: PartProps) {
  const parts = (
    [
      ["repeat", "applied at most", "times an order"],
      ["maxUnits", "reducing at most", "pieces"],
      ["maxOff", "taking off at most", "in all"],
      ["stock", "", "times in all, however many customers"],
      ["perCustomer", "", "times by one customer"],
    ] as const
  ).filter(([key]) => offer[key] !== "");
  if (parts.length === 0 && !offer.skipReduced) return null;
  return (
    <p>
      {parts.map(([key, before, after]) => (
        <span key={key}>
          {before}{" "}
          <Blank
            label={`${before} ${after}`.trim()}
            inputMode={key === "maxOff" ? "decimal" : "numeric"}
            className="w-12 text-center"
            bad={bad(key)}
            value={offer[key]}
            onChange={(value) => change({ [key]: value })}
          />{" "}
          {after}
          <Out label={`Without: ${before} ${after}`} onClick={() => change({ [key]: "" })} /> {err(key)}{" "}
        </span>
      ))}
      {offer.skipReduced && (
        <span>
          not with goods that are reduced already
          <Out label="With reduced goods too" onClick={() => change({ skipReduced: false })} />
        </span>
      )}
    </p>
  );
}
