import clsx from "clsx";
import type { ButtonHTMLAttributes } from "react";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  look?: "ink" | "plain" | "bare" | "danger";
}

/** A button says a verb. Ink is the one thing to do next; plain is a choice beside it; bare sits in a row. */
export function Button({ look = "plain", className, type = "button", ...rest }: Props) {
  return (
    <button
      type={type}
      className={clsx(
        "inline-flex min-h-7 items-center justify-center gap-1.5 rounded-[3px] px-2.5 py-0.5 font-medium whitespace-nowrap disabled:cursor-not-allowed disabled:opacity-45",
        look === "ink" && "bg-ink text-paper enabled:hover:opacity-85",
        look === "plain" && "border border-ink/40 enabled:hover:bg-wash",
        look === "bare" && "px-1.5 text-quiet enabled:hover:bg-wash enabled:hover:text-ink",
        look === "danger" && "border border-bad text-bad enabled:hover:bg-badwash",
        className,
      )}
      {...rest}
    />
  );
}
