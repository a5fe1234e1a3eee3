import type { Schema } from "../../api/client";
import { count, isZero, signed } from "../../lib/format";

/** What changes earn or cost at the sales of the last 30 days; nothing where nobody can say. */
export function Worth({ worth, className }: { worth: Schema["PublishWorthText"]; className?: string }) {
  if (worth.counted + worth.unknown === 0) return null;
  return (
    <span
      className={`block text-quiet ${className ?? ""}`}
      data-testid="worth"
      title={[
        worth.whole ? "Sales bear no channel: what each channel says here must not be added up." : "",
        worth.unknown > 0 ? `The cost or the sales of ${count(worth.unknown)} more are not known.` : "",
      ]
        .filter((t) => t !== "")
        .join(" ")}
    >
      at {worth.whole ? "all channels’" : "its own"} sales of 30 days:{" "}
      <span className={isZero(worth.margin) ? "" : worth.margin.startsWith("-") ? "text-bad" : "text-good"}>
        margin {signed(worth.margin)}
      </span>
      , sales {signed(worth.sales)}
      {worth.unknown > 0 && `, ${count(worth.unknown)} unknown`}
    </span>
  );
}
