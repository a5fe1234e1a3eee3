import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { namedQuery } from "../../api/products";
import { readSkus } from "../../api/rules";
import { amount, count, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { Out } from "../../ui/blanks";
import { keepingFocus } from "../../ui/focus";
import { ProductFinder } from "../products/ProductFinder";

interface Chosen {
  values: string[];
  unknown?: string[] | undefined;
  /** What is being read is not what the text says yet. */
  reading?: boolean | undefined;
}

interface Props {
  chosen: Chosen;
  onChange: (chosen: Chosen) => void;
}

/** So many are named; of more, how many there are. */
const shown = 12;

/** Goods that are chosen one by one: found by name, SKU or brand, or pasted; what was chosen stays legible by name. */
export function GoodsList({ chosen, onChange }: Props) {
  const { values, unknown = [] } = chosen;
  const [words, setWords] = useState("");
  const [text, setText] = useState(() => values.join("\n"));
  const [whole, setWhole] = useState(false);
  const [problem, setProblem] = useState("");
  // An answer is of the newest text alone, and changes nothing that was written while it was awaited.
  const newest = useRef(0);
  const latest = useRef({ chosen, onChange });
  useEffect(() => {
    latest.current = { chosen, onChange };
  });
  useEffect(() => {
    // Whoever read it is gone; the values are what the text says.
    if (chosen.reading && newest.current === 0)
      latest.current.onChange({ ...latest.current.chosen, reading: undefined });
  }, [chosen.reading]);
  const known = values.filter((v) => !unknown.includes(v));
  const named = useQuery(namedQuery(known.slice(0, whole ? 500 : shown)));
  const put = (next: string[]) => {
    newest.current++; // a text that is being read no longer says what is chosen
    setText(next.join("\n"));
    onChange({ values: next, unknown: unknown.filter((u) => next.includes(u)), reading: undefined });
  };
  const add = (...skus: string[]) => put([...values, ...skus.filter((s) => !values.includes(s))]);
  const read = async (typed: string) => {
    setText(typed);
    const mine = ++newest.current;
    latest.current.onChange({ ...latest.current.chosen, reading: true });
    try {
      const list = await readSkus(typed);
      if (mine !== newest.current) return;
      setProblem("");
      latest.current.onChange({
        values: [...list.known, ...list.unknown],
        unknown: list.unknown,
        reading: undefined,
      });
    } catch (e) {
      if (mine === newest.current) setProblem(errorText(e));
    }
  };
  // What was typed as SKUs, and not picked by its name, joins what is there.
  const join = async (typed: string) => {
    try {
      const list = await readSkus(typed);
      const { values: had, unknown: strange = [] } = latest.current.chosen;
      const next = [...had, ...[...list.known, ...list.unknown].filter((s) => !had.includes(s))];
      newest.current++;
      setProblem("");
      setText(next.join("\n"));
      setWords("");
      latest.current.onChange({ values: next, unknown: [...strange, ...list.unknown], reading: undefined });
    } catch (e) {
      setProblem(errorText(e));
    }
  };
  const goods = new Map(named.data?.map((g) => [g.sku, g]));
  return (
    <>
      <ul className="mt-1 border-y border-dotted" aria-label="Chosen goods">
        {known.slice(0, whole ? 500 : shown).map((sku) => {
          const g = goods.get(sku);
          const others = g?.variants.filter((v) => !values.includes(v)) ?? [];
          return (
            <li key={sku} className="flex items-baseline gap-2 border-b border-dotted py-0.5 text-[14px] last:border-0">
              <span className="min-w-0 truncate" title={g?.category.split("/").join(" › ")}>
                <span className="font-medium">{g?.name || sku}</span> <span className="text-quiet">{sku}</span>
              </span>
              {others.length > 0 && (
                <Button
                  look="bare"
                  className="min-h-0 shrink-0 border border-ink/25 text-[13px]"
                  onClick={(e) => keepingFocus(e.currentTarget, () => add(...others))}
                >
                  + {others.length === 1 ? "its other variant" : `its ${others.length} other variants`}
                </Button>
              )}
              <span className="ml-auto shrink-0 tabular-nums">{g?.list ? amount(g.list) : ""}</span>
              <Out label={`Take ${g?.name || sku} out`} onClick={() => put(values.filter((v) => v !== sku))} />
            </li>
          );
        })}
      </ul>
      {known.length > shown && (
        <Button look="bare" className="mt-0.5 text-[13px]" onClick={() => setWhole(!whole)}>
          {whole
            ? known.length > 500
              ? `The first 500 of ${count(known.length)}; show fewer`
              : "Show fewer"
            : `and ${count(known.length - shown)} more: show them`}
        </Button>
      )}
      <div className="mt-1 grid grid-cols-2 gap-2">
        <ProductFinder
          label="Find goods"
          words={words}
          onWords={setWords}
          placeholder="Find by name, SKU or brand"
          className="field w-full"
          onPick={(sku) => {
            add(sku);
            setWords("");
          }}
          onEnter={() => {
            if (words.trim() !== "") void join(words);
          }}
        />
        <textarea
          aria-label="SKUs"
          className="field h-8 w-full resize-y"
          placeholder="or paste SKUs, however they are parted"
          value={text}
          onChange={(e) => void read(e.target.value)}
        />
      </div>
      {unknown.length > 0 && (
        <p role="status" className="mt-0.5 text-bad">
          Not in the book: {unknown.slice(0, 12).join(", ")}
          {unknown.length > 12 && ` and ${unknown.length - 12} more`}. They match nothing until they are.
        </p>
      )}
      {problem && <p className="text-bad">{problem}</p>}
    </>
  );
}
