import type { BoardFilter } from "../../lib/address";

/** A column of the board; one without a key is not sorted by. */
export interface Column {
  key: BoardFilter["sort"] | "";
  name: string;
  className: string;
  hint?: string;
  /** What the column is called where its heading is not enough. */
  said?: string;
}

/** From which widths on, in pixels, the board has room for all of its figures, and for stock and units sold unasked. */
export const roomy = 960;
/** Below this the price strip makes way for the names. */
export const drawn = 760;
export const wide = 1150;

export type Extra = "stock" | "sold";

// The name takes what it needs and no more; the room is the strip's.
export const nameWidth = "min-w-[180px] max-w-[340px] flex-[2.2_1_0]";
export const stripWidth = "min-w-[96px] max-w-[560px] flex-[1_1_0]";
export const spreadWidth = "min-w-[74px] max-w-[128px] flex-[0.25_1_0]";

// With the thinnest margin of all channels, the channel's name stands with it.
export const marginWidth = (anyChannel: boolean) => (anyChannel ? "w-[112px]" : "w-[58px]");

export function columnsOf(narrow: boolean, extra: Extra[], anyChannel = false, strip = true): Column[] {
  return [
    { key: "name", name: "Product", className: nameWidth },
    { key: "list", name: "List", className: "w-[74px] justify-end" },
    ...(strip ? [{ key: "" as const, name: "", className: stripWidth }] : []),
    { key: "price", name: "Price", className: "w-[74px] justify-end" },
    { key: "change", name: "Change", className: "w-[66px] justify-end", hint: "against what the sentence above names" },
    ...(narrow
      ? []
      : [
          {
            key: "margin-amount" as const,
            name: "Margin",
            className: "w-[64px] justify-end",
            hint: "of one sale: price without tax, less fee and cost",
          },
        ]),
    {
      key: "margin",
      name: "%",
      said: "Margin in percent",
      className: `${marginWidth(anyChannel)} justify-end`,
      hint: `the margin in percent of the price without tax${anyChannel ? "; below it the thinnest of all channels" : ""}`,
    },
    ...extra.map((key) => ({
      key,
      name: key === "stock" ? "Stock" : "Sold",
      className: "w-[52px] justify-end",
      ...(key === "sold" && { hint: "units in the last 30 days" }),
    })),
    { key: "", name: "Rules", className: "w-[58px]" },
    { key: "", name: "Flags", className: "w-[78px]" },
  ];
}
