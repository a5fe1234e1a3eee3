import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { findQuery } from "../../api/board";
import { errorText } from "../../lib/format";
import { useViewpoint } from "../../lib/viewpoint";
import { ProductFinder } from "../../parts/products/ProductFinder";
import { FieldError } from "../../ui/states";

/** How many are meant, and of what: "3 x crackle", "3 crackle" or "crackle". */
function read(words: string) {
  const typed = /^\s*(\d{1,9})(?:\s*[x×*]\s*|\s+)(\S.*)$/.exec(words);
  return { quantity: Number(typed?.[1] ?? 1), name: (typed?.[2] ?? words).trim() };
}

/** Puts goods in by typing; what is typed and sent without a pause goes in too, once it is found. */
export function AddGoods({ onPut }: { onPut: (sku: string, quantity: number) => void }) {
  const { viewpoint } = useViewpoint();
  const client = useQueryClient();
  const [words, setWords] = useState("");
  const [said, setSaid] = useState("");
  const field = useRef<HTMLInputElement>(null);
  // Whoever comes to the till begins with the goods.
  useEffect(() => field.current?.focus(), []);
  const { quantity, name } = read(words);
  // The words come back, unless the next ones are being typed already; chosen, so that typing replaces them.
  const refuse = (why: string) => {
    let back = false;
    flushSync(() => {
      setSaid(why);
      setWords((next) => {
        back = next === "";
        return next || words;
      });
    });
    if (back && document.activeElement === field.current) field.current?.select();
  };
  const send = async () => {
    if (name === "") return;
    setWords("");
    setSaid("");
    try {
      const { rows } = await client.query(findQuery(name, viewpoint.channel, 6));
      const row = rows.find((r) => r.sku === name) ?? rows[0];
      if (row) onPut(row.sku, quantity);
      else refuse(`Nothing by the name “${name}”.`);
    } catch (e) {
      refuse(errorText(e));
    }
  };
  return (
    <div className="flex items-center gap-3 pb-2">
      <ProductFinder
        field={field}
        label="Put goods in"
        placeholder="Name or SKU; 3 × before it for three"
        className="field w-[420px] max-w-full"
        words={words}
        find={name}
        onWords={(next) => {
          setWords(next);
          setSaid("");
        }}
        onPick={(sku) => {
          onPut(sku, quantity);
          setWords("");
        }}
        onEnter={() => void send()}
      />
      <FieldError>{said || undefined}</FieldError>
    </div>
  );
}
