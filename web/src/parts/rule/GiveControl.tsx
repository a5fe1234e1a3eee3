import { Blank, Choice, Out } from "../../ui/blanks";
import { FieldError } from "../../ui/states";
import { GoodsBlank } from "./GoodsBlank";
import { allFree, type GiveForm, type OfferForm } from "./offer-form";

interface Props {
  give: GiveForm;
  place: number;
  /** Of the give, in the paths of the core's errors. */
  path: string;
  offer: OfferForm;
  wrong: Map<string, string>;
  onChange: (give: GiveForm) => void;
  /** So many of its need are wanted, of which so many are given. */
  onWant: (quantity: string, units: string) => void;
  onRemove: () => void;
}

/** One thing that an offer gives: how much off, of what, which pieces first. */
export function GiveControl({ give, place, path, offer, wrong, onChange, onWant, onRemove }: Props) {
  const change = (part: Partial<GiveForm>) => onChange({ ...give, ...part });
  const which = place === 0 ? "" : ` of give ${place + 1}`;
  const bad = (key: string) => wrong.has(`${path}.${key}`) || undefined;
  const ofNeed = give.to.startsWith("need:");
  const counted = ofNeed || give.to === "goods";
  const targets: (readonly [string, string])[] = [
    ...offer.needs.map(
      (n, i) => [`need:${n.id}`, offer.needs.length === 1 ? "of them" : `of the goods of need ${i + 1}`] as const,
    ),
    ...(offer.needs.length > 0 ? [["needs", "all of them together"] as const] : []),
    ["goods", "of other goods"],
    ["basket", "the whole basket"],
    ["shipping", "the shipping"],
  ];
  const need = offer.needs.find((n) => give.to === `need:${n.id}`);
  const free = allFree(offer, give);
  const problems = [...wrong].filter(([p]) => p === path || p.startsWith(path + ".") || p.startsWith(path + "["));
  return (
    <p>
      {place === 0 ? "get " : "and get "}
      {counted && (
        <>
          <Blank
            label={`How many are reduced${which}`}
            className="w-10 text-center"
            placeholder={ofNeed ? "all" : "1"}
            inputMode="numeric"
            hint={
              ofNeed
                ? "A number, or “all”, which an empty field means, too"
                : "A number, or “all” that are in the basket"
            }
            bad={bad("units")}
            value={give.units}
            onChange={(units) => change({ units })}
          />{" "}
        </>
      )}
      <Choice
        label={`What is reduced${which}`}
        value={give.to}
        bad={bad("to")}
        options={targets}
        onChange={(to) =>
          change({ to, ...(to !== "needs" && give.kind === "forTotal" && { kind: "percentOff" as const }) })
        }
      />
      {give.to === "goods" && (
        <>
          ,{" "}
          <GoodsBlank
            label={`Goods that are reduced${which}`}
            goods={give.goods}
            bad={bad("to.where")}
            onChange={(goods) => change({ goods })}
          />
          ,
        </>
      )}{" "}
      {give.kind === "each" || give.kind === "forTotal" ? "for " : "with "}
      <Blank
        label={`How much${which}`}
        inputMode="decimal"
        placeholder="…"
        className="w-16 text-right"
        bad={bad(give.kind)}
        value={give.value}
        onChange={(value) => change({ value })}
      />{" "}
      <Choice
        label={`Kind of reduction${which}`}
        value={give.kind}
        options={[
          ["percentOff", "% off"],
          ["amountOff", counted || give.to === "needs" ? "off together" : "off"],
          ["each", give.to === "shipping" ? "to pay" : "each"],
          ...(give.to === "needs" && offer.gives.length === 1 ? [["forTotal", "for all of them"] as const] : []),
        ]}
        onChange={(kind) => change({ kind, ...(kind !== "percentOff" && { of: "" as const }) })}
      />
      {give.kind === "percentOff" && give.to !== "shipping" && (
        <>
          {" "}
          <Choice
            label={`Percent of${which}`}
            value={give.of}
            options={[
              ["", "of the price at the time"],
              ["list", "of the list price"],
              ["catalog", "of the price after the catalog layer"],
            ]}
            onChange={(of) => change({ of })}
          />
        </>
      )}
      {(counted || give.to === "needs") && (
        <>
          , the{" "}
          <Choice
            label={`Which pieces first${which}`}
            value={give.pick === "" ? (give.kind === "forTotal" ? "dearest" : "cheapest") : give.pick}
            options={[
              ["cheapest", "cheapest first"],
              ["dearest", "dearest first"],
              ...(ofNeed && need?.same === ""
                ? [["in-turn", "last of each group in turn, dearest first"] as const]
                : []),
            ]}
            onChange={(pick) => change({ pick })}
          />
        </>
      )}
      {(offer.gives.length > 1 || place > 0) && <Out label={`Take give ${place + 1} out`} onClick={onRemove} />}{" "}
      {free && (
        <span role="status" className="block text-[14px] leading-6 font-medium text-bad" data-testid="all-free">
          Then nothing is paid: what is free counts among what is wanted. For “buy {free.wanted - free.free}, get{" "}
          {free.free} free”, want {free.wanted}.{" "}
          <button
            type="button"
            className="underline underline-offset-2"
            onClick={() => onWant(String(free.wanted), String(free.free))}
          >
            Want {free.wanted}
          </button>
        </span>
      )}
      {problems.map(([p, text]) => (
        <FieldError key={p}>{text} </FieldError>
      ))}
    </p>
  );
}
