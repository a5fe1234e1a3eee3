import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useState, type RefObject } from "react";
import { findQuery } from "../../api/board";
import { useViewpoint } from "../../lib/viewpoint";

interface Props {
  field?: RefObject<HTMLInputElement | null>;
  label: string;
  words: string;
  /** What is looked for, where that is not all of the words. */
  find?: string;
  onWords: (words: string) => void;
  onPick: (sku: string) => void;
  placeholder: string;
  className: string;
  invalid?: boolean | undefined;
  /** What else can be picked, by the words for it. */
  more?: readonly (readonly [string, string])[];
  above?: boolean;
  onEnter?: () => void;
}

/** A field in which a product is found by its name or SKU. */
export function ProductFinder({
  field,
  label,
  words,
  find = words,
  onWords,
  onPick,
  placeholder,
  className,
  invalid,
  more = [],
  above = false,
  onEnter,
}: Props) {
  const { viewpoint } = useViewpoint();
  const [looking, setLooking] = useState(false);
  const typed = find.trim();
  const { data: found } = useQuery({
    ...findQuery(typed, viewpoint.channel, 6),
    enabled: looking && typed.length > 1,
  });
  const others = more.filter(([value, name]) => `${value} ${name}`.toLowerCase().includes(typed.toLowerCase()));
  const products = typed.length > 1 ? (found?.rows ?? []) : [];
  // What is written out in full needs no list.
  const open = looking && (others.length > 0 || typed.length > 1) && !products.some((r) => r.sku === typed);
  const pick = (value: string) => {
    setLooking(false);
    onPick(value);
  };
  return (
    <Command shouldFilter={false} label={label} className="relative inline-block">
      <Command.Input
        ref={field}
        aria-label={label}
        aria-invalid={invalid}
        placeholder={placeholder}
        className={className}
        value={words}
        onValueChange={(next) => {
          setLooking(true);
          onWords(next);
        }}
        onFocus={() => setLooking(true)}
        onBlur={() => setLooking(false)}
        onKeyDown={(e) => {
          if (e.key === "Escape" && open) {
            e.stopPropagation();
            setLooking(false);
          }
          if (e.key !== "Enter" || e.ctrlKey || e.metaKey || (open && products.length + others.length > 0)) return;
          if (onEnter) e.preventDefault();
          onEnter?.();
        }}
      />
      <Command.List
        className={`absolute left-0 z-30 w-80 max-w-[80vw] rounded-[4px] border border-ink/40 bg-sheet p-1 text-[14px] leading-snug shadow-xl ${above ? "bottom-full mb-1" : "top-full mt-1"} ${open ? "" : "hidden"}`}
        // The field keeps the focus, so that its list is there until a choice is made.
        onMouseDown={(e) => e.preventDefault()}
      >
        {open && typed.length > 1 && found !== undefined && (
          <Command.Empty className="px-2 py-1 text-quiet">Nothing by that name.</Command.Empty>
        )}
        {open &&
          products.map((r) => (
            <Command.Item
              key={r.sku}
              value={"p " + r.sku}
              className="truncate rounded-[3px] px-2 py-1 data-[selected=true]:bg-wash"
              onSelect={() => pick(r.sku)}
            >
              {r.name || r.sku} <span className="text-quiet">{r.sku}</span>
            </Command.Item>
          ))}
        {open &&
          others.map(([value, name]) => (
            <Command.Item
              key={value}
              value={"o " + value}
              className="rounded-[3px] px-2 py-1 data-[selected=true]:bg-wash"
              onSelect={() => pick(value)}
            >
              {name}
            </Command.Item>
          ))}
      </Command.List>
    </Command>
  );
}

/** What a product is called, once it was found. */
export function useProductName(sku: string): string | undefined {
  const { viewpoint } = useViewpoint();
  const { data } = useQuery({ ...findQuery(sku, viewpoint.channel, 6), enabled: sku !== "" });
  return data?.rows.find((r) => r.sku === sku)?.name;
}
