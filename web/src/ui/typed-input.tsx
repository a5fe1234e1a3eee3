import { Popover } from "radix-ui";
import { useRef, useState, type ComponentProps } from "react";
import type { Reading } from "../lib/reading";

export interface TypedProps extends Omit<ComponentProps<"input">, "onChange" | "value"> {
  /** What the document has, or what was typed and could not be read: the core says what is wrong with that. */
  value: string;
  /** The value as it stands in the field while nobody writes in it. */
  show: (value: string) => string;
  read: (typed: string) => Reading;
  onChange: (value: string) => void;
}

/**
 * A field that is written in as people write. What was typed stands as it was typed while it is written; beside it
 * stands what it is read as, where that does not look the same, and what else it may mean.
 */
export function TypedInput({ value, show, read, onChange, onFocus, onBlur, ...rest }: TypedProps) {
  const [typed, setTyped] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const reading = typed === null || typed.trim() === "" ? null : read(typed);
  const take = (next: string) => {
    onChange(next);
    setTyped(null);
  };
  const note =
    reading === null || typed === null ? null : "either" in reading ? (
      <>
        {reading.either.map((r, i) => (
          <span key={r.value}>
            {i === 0 ? "Is that " : " or "}
            <button
              type="button"
              className="pointer-events-auto font-semibold underline underline-offset-2"
              onMouseDown={(e) => e.preventDefault()} // the field keeps the focus
              onClick={() => take(r.value)}
            >
              {r.says}
            </button>
          </span>
        ))}
        ?
      </>
    ) : reading.says !== typed.trim() && show(reading.value) !== typed.trim() && reading.value !== typed.trim() ? (
      <>= {reading.says}</>
    ) : null;
  return (
    <>
      <input
        {...rest}
        value={typed ?? show(value)}
        onChange={(e) => {
          const text = e.target.value;
          field.current = e.currentTarget;
          setTyped(text);
          const r = read(text);
          onChange(r !== null && "value" in r ? r.value : text);
        }}
        onFocus={onFocus}
        onBlur={(e) => {
          setTyped(null);
          onBlur?.(e);
        }}
      />
      {note && (
        <Popover.Root open>
          <Popover.Anchor virtualRef={field} />
          <Popover.Portal>
            <Popover.Content
              role="status"
              align="start"
              sideOffset={3}
              className="reading z-40 rounded-[3px] border border-ink/30 bg-sheet px-2 text-[13px] leading-6 shadow-md"
              onOpenAutoFocus={(e) => e.preventDefault()}
              onCloseAutoFocus={(e) => e.preventDefault()}
            >
              {note}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
    </>
  );
}
