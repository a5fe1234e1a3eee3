import { useFacets } from "../../api/board";
import { useRules } from "../../api/rules";
import { tagsOf, tagsText, type BoardFilter } from "../../lib/address";
import { amount, count } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { Pop } from "../../ui/pop";
import { Button } from "../../ui/button";
import { DecimalInput } from "../../ui/decimal-input";
import { FieldError } from "../../ui/states";
import { PickMany } from "../../ui/pick-many";

interface Props {
  filter: BoardFilter;
  set: (change: Record<string, string | null>) => void;
}

const reaches: [BoardFilter["reach"], string][] = [
  ["", "whether or not a rule reaches it"],
  ["changed", "a rule makes the price"],
  ["unchanged", "no rule makes the price"],
  ["unselected", "no rule selects it, now or later"],
];

const sortNames: Record<BoardFilter["sort"], string> = {
  category: "category",
  sku: "SKU",
  name: "name",
  list: "list price",
  price: "price",
  margin: "margin in percent",
  "margin-amount": "margin",
  change: "change",
  stock: "stock",
  sold: "units sold",
};

/** "below 10 %", "from 5 to 10 %"; the upper end of a percent span is not in it, that of a count is. */
function spanWords(text: string, unit: string): string {
  const [min = "", max = ""] = text.split(":");
  const upper = unit ? "below" : "up to";
  if (min && max) return `${amount(min)} to ${unit ? "below " : ""}${amount(max)}${unit}`;
  return min ? `from ${amount(min)}${unit}` : `${upper} ${amount(max)}${unit}`;
}

/** What the board is narrowed to, in words, with the keys of the address that say so. */
export function useChips(filter: BoardFilter): { keys: (keyof BoardFilter)[]; words: string }[] {
  const { data: rules } = useRules();
  const rule = rules?.find((r) => r.rule.code === filter.rule)?.rule.name ?? filter.rule;
  const chips: [(keyof BoardFilter)[], string][] = [
    [["category"], filter.category.split("/").join(" › ")],
    [["rule"], filter.rule && `by ${rule}`],
    [
      ["margin", "margin-in"],
      filter.margin &&
        `margin ${spanWords(filter.margin, " %")}${filter["margin-in"] === "any" ? " in any channel" : ""}`,
    ],
    [["change"], filter.change && `change ${spanWords(filter.change, " %")}`],
    [["stock"], filter.stock && `${spanWords(filter.stock, "")} in stock`],
    [["sold"], filter.sold && `${spanWords(filter.sold, "")} sold`],
    [["tags"], filter.tags && `tagged ${tagsOf(filter).join(" or ")}`],
    [["reach"], filter.reach && (reaches.find(([key]) => key === filter.reach)?.[1] ?? "")],
    [
      ["rows"],
      filter.rows > 0 ? `the ${filter.desc ? "last" : "first"} ${count(filter.rows)} by ${sortNames[filter.sort]}` : "",
    ],
  ];
  return chips.filter(([, words]) => words !== "").map(([keys, words]) => ({ keys, words }));
}

/** What narrows the board further than words, a category and a way to show it; all of it holds together. */
export function Narrow({ filter, set }: Props) {
  const { data: facets } = useFacets();
  const tags = [...new Set([...(facets?.tags ?? []), ...(facets?.liveTags ?? [])])].sort();
  return (
    <Pop label="Narrow the board" width={580} trigger={<Button look="bare">+ narrow</Button>}>
      <div className="grid grid-cols-[96px_minmax(0,1fr)] items-center gap-x-3 gap-y-2">
        <span>Margin</span>
        <span className="flex items-center gap-2">
          <Span label="Margin" unit="%" value={filter.margin} onChange={(margin) => set({ margin })} />
          <select
            aria-label="In which channel the margin is"
            className="field min-w-0 flex-1"
            value={filter["margin-in"]}
            onChange={(e) => set({ "margin-in": e.target.value })}
          >
            <option value="">here</option>
            <option value="any">in any channel</option>
          </select>
        </span>
        <span>Change</span>
        <Span label="Change" unit="%" value={filter.change} onChange={(change) => set({ change })} />
        <span>In stock</span>
        <Span label="In stock" value={filter.stock} onChange={(stock) => set({ stock })} />
        <span>Units sold</span>
        <Span label="Units sold" value={filter.sold} onChange={(sold) => set({ sold })} />
        <span>Tags</span>
        <span>
          <PickMany
            label="Tag"
            options={tags}
            chosen={tagsOf(filter)}
            empty="any or none"
            show={(tag) =>
              facets?.liveTags.includes(tag) && !facets.tags.includes(tag) ? `${tag} (while a rule is live)` : tag
            }
            onChange={(list) => set({ tags: tagsText(list) })}
          />
        </span>
        <label htmlFor="narrow-reach">Rules</label>
        <select
          id="narrow-reach"
          className="field w-full"
          value={filter.reach}
          onChange={(e) => set({ reach: e.target.value })}
        >
          {reaches.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <label htmlFor="narrow-rows">Only the first</label>
        <span className="flex items-center gap-2">
          <Rows value={filter.rows} onChange={(rows) => set({ rows })} />
          <span className="text-quiet">rows, as the board stands: by {sortNames[filter.sort]}</span>
        </span>
      </div>
    </Pop>
  );
}

const numeral = /^(-?\d+(\.\d+)?)?$/;

/** The two ends of a span, either of which may stay open. */
function Span({
  label,
  unit,
  value,
  onChange,
}: {
  label: string;
  unit?: string;
  value: string;
  onChange: (span: string | null) => void;
}) {
  const typed = useTyped(value, (span) => {
    if (!span.split(":").every((end) => numeral.test(end))) return false;
    onChange(span || null);
  });
  const [low = "", high = ""] = typed.text.split(":");
  const type = (min: string, max: string) => typed.type(min === "" && max === "" ? "" : `${min}:${max}`);
  const end = (name: string, text: string, change: (text: string) => void) => (
    <DecimalInput
      aria-label={`${label}, ${name}`}
      aria-invalid={!numeral.test(text)}
      className="field w-[70px] text-right"
      value={text}
      onChange={change}
      onBlur={typed.done}
    />
  );
  return (
    <span className="flex items-center gap-1.5 whitespace-nowrap">
      from {end("from", low, (min) => type(min.replaceAll(":", ""), high))} {unit ? "to below" : "to"}{" "}
      {end("to", high, (max) => type(low, max.replaceAll(":", "")))}
      {unit}
      {!typed.text.split(":").every((text) => numeral.test(text)) && <FieldError>no number</FieldError>}
    </span>
  );
}

function Rows({ value, onChange }: { value: number; onChange: (rows: string | null) => void }) {
  const typed = useTyped(value > 0 ? String(value) : "", (text) => {
    if (!/^\d{0,6}$/.test(text)) return false;
    onChange(Number(text) > 0 ? String(Number(text)) : null);
  });
  return (
    <input
      id="narrow-rows"
      inputMode="numeric"
      placeholder="all"
      aria-invalid={!/^\d{0,6}$/.test(typed.text)}
      className="field w-[70px] text-right"
      value={typed.text}
      onChange={(e) => typed.type(e.target.value)}
      onBlur={typed.done}
    />
  );
}
