import { Minus, Plus, X } from "lucide-react";
import type { BasketDetail, BasketGoods } from "../../api/client";
import type { BasketLine } from "../../lib/address";
import { amount } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { Button } from "../../ui/button";
import { Extras } from "./Extras";

interface Props {
  lines: BasketLine[];
  detail: BasketDetail | undefined;
  /** What the core found wrong, by path. */
  wrong: Map<string, string>;
  change: (make: (lines: BasketLine[]) => BasketLine[]) => void;
}

/** The goods of the basket, a line each. */
export function Lines({ lines, detail, wrong, change }: Props) {
  const problems = new Map(wrong);
  for (const p of detail?.answer.problems ?? []) problems.set(p.path, p.problem);
  return (
    <table className="w-full" aria-label="Lines">
      <thead>
        <tr className="border-b-2 border-ink text-left text-[12px] text-quiet">
          <th className="w-[118px] py-1 font-normal">Pieces</th>
          <th className="font-normal">Goods</th>
          <th className="hidden w-24 text-right font-normal @2xl:table-cell">List</th>
          <th className="hidden w-24 text-right font-normal @2xl:table-cell">Each</th>
          <th className="w-20 text-right font-normal @2xl:w-28">With offers</th>
          <th className="w-8">
            <span className="sr-only">Take out</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line, i) => (
          <Line
            key={`${line.sku} ${lines.slice(0, i).filter((l) => l.sku === line.sku).length}`}
            line={line}
            goods={detail?.goods.find((g) => g.sku === line.sku)}
            answer={detail?.answer.lines[i]?.sku === line.sku ? detail.answer.lines[i] : undefined}
            problems={[...problems].filter(([path]) => path === `lines[${i}]` || path.startsWith(`lines[${i}].`))}
            onChange={(part) => change((old) => old.map((l, k) => (k === i ? part(l) : l)))}
            onRemove={() => change((old) => old.filter((_, k) => k !== i))}
          />
        ))}
      </tbody>
    </table>
  );
}

function Line({
  line,
  goods,
  answer,
  problems,
  onChange,
  onRemove,
}: {
  line: BasketLine;
  goods: BasketGoods | undefined;
  answer: BasketDetail["answer"]["lines"][number] | undefined;
  problems: [string, string][];
  onChange: (part: (l: BasketLine) => BasketLine) => void;
  onRemove: () => void;
}) {
  const name = goods?.name || line.sku;
  const typed = useTyped(String(line.quantity), (text) =>
    /^\d{1,9}$/.test(text.trim()) ? onChange((l) => ({ ...l, quantity: Number(text) })) : false,
  );
  const bad = !/^\d{1,9}$/.test(typed.text.trim());
  const step = (by: number) => onChange((l) => ({ ...l, quantity: Math.max(1, l.quantity + by) }));
  return (
    <tr className="border-b border-dotted align-top" data-line={line.sku}>
      <td className="py-1.5 whitespace-nowrap">
        <Button look="bare" aria-label={`One fewer of ${name}`} onClick={() => step(-1)} disabled={line.quantity <= 1}>
          <Minus size={13} aria-hidden />
        </Button>
        <input
          aria-label={`Pieces of ${name}`}
          inputMode="numeric"
          aria-invalid={bad || problems.some(([path]) => path.endsWith(".quantity"))}
          className="field w-12 text-right"
          value={typed.text}
          onChange={(e) => typed.type(e.target.value)}
          onBlur={typed.done}
        />
        <Button look="bare" aria-label={`One more of ${name}`} onClick={() => step(1)}>
          <Plus size={13} aria-hidden />
        </Button>
      </td>
      <td className="min-w-0 py-1.5 pr-3 [overflow-wrap:anywhere]">
        <span className="font-medium">{name}</span>
        {goods?.name && <span className="ml-2 text-[13px] text-quiet">{line.sku}</span>}
        {goods && <Extras line={line} goods={goods} onChange={onChange} />}
        {bad && (
          <span role="alert" className="block font-medium text-bad">
            A whole number of pieces, from 1.
          </span>
        )}
        {problems.map(([path, text]) => (
          <span key={path} role="alert" className="block font-medium text-bad">
            {text.charAt(0).toUpperCase() + text.slice(1)}.
          </span>
        ))}
      </td>
      <td className="hidden py-1.5 text-right text-quiet @2xl:table-cell">{amount(answer?.list)}</td>
      <td className="hidden py-1.5 text-right @2xl:table-cell">{amount(answer?.unit)}</td>
      <td className="py-1.5 text-right font-medium">
        {answer && answer.total === null ? "no price" : amount(answer?.total)}
      </td>
      <td className="py-1 text-right">
        <Button look="bare" aria-label={`Take out ${name}`} onClick={onRemove}>
          <X size={14} aria-hidden />
        </Button>
      </td>
    </tr>
  );
}
