/** What a kind of trouble is called, and what it means. */
interface KindWords {
  name: string;
  hint: string;
}

export const kindWords: Record<string, KindWords> = {
  "no-price": { name: "No price", hint: "Listed, and yet at some moment nobody can buy it." },
  "below-cost": { name: "Below cost", hint: "Each sale loses money." },
  free: { name: "Given away", hint: "The price comes to nothing." },
  "offer-below-cost": {
    name: "Deals below cost",
    hint: "A basket that fills the deal sells for less than its goods cost.",
  },
  "limit-whole-units": { name: "Whole amounts wanted", hint: "The channel takes whole amounts as reduced prices." },
  "limit-discount": { name: "Reductions of another size wanted", hint: "The channel takes reductions within limits." },
  "limit-reference": {
    name: "No price to compare with",
    hint: "The channel shows what a reduced price is reduced from.",
  },
  "limit-rating": { name: "Rated too low", hint: "The channel reduces well rated goods alone." },
  "limit-terms": { name: "Terms missing", hint: "The channel wants the terms of each reduction." },
  "limit-lead-time": { name: "Too soon for a channel", hint: "The channel wants to know earlier." },
  "limit-words": { name: "Words a channel refuses", hint: "In a product's name, or in what a rule shows." },
  "break-inverted": {
    name: "More pieces, higher price",
    hint: "A higher break makes a higher price than a lower one.",
  },
  "code-twice": { name: "One word, two deals", hint: "Both open with the same code." },
  "derive-cycle": { name: "Prices in a circle", hint: "Prices are derived from each other, so one of them is not." },
  "thin-margin": { name: "Less than the guard wants", hint: "Sold at a profit, but a smaller one than was agreed." },
  "over-max-off": { name: "Too much taken off", hint: "All layers together take more than the guard wants." },
  "below-map": { name: "Below the lowest advertised price", hint: "The maker may object." },
  "group-above-public": {
    name: "Dearer than for everybody",
    hint: "A group or a customer pays more than a guest does.",
  },
  "dearer-by-quantity": { name: "Dearer by the dozen", hint: "A piece costs more where more are bought." },
  tie: {
    name: "Two rules that conflict",
    hint: "Same rank, different prices: the lower one wins, but nobody has decided so.",
  },
  "never-wins": { name: "Rules that never take effect", hint: "They fit, and apply to nothing." },
  "matches-nothing": { name: "Rules without goods", hint: "Their selection holds no product." },
  "never-open": { name: "Rules not open in these weeks", hint: "No moment of the weeks looked at lies in their time." },
  "bundle-dearer": { name: "Sets that save nothing", hint: "Apart, the goods cost no more." },
  "offer-over-stock": { name: "Deals beyond the stock", hint: "They may be had more often than the goods last." },
  "promise-differs": {
    name: "Says one thing, does another",
    hint: "A number that the public reads is not what happens.",
  },
  "channel-cannot": { name: "More than a channel can", hint: "The channel cannot show what the rule needs." },
  "above-list": { name: "Above the list price", hint: "Nothing wrong in itself, but worth knowing." },
  "break-cliff": {
    name: "Cheaper by buying more",
    hint: "From the break on, the whole costs less than one piece fewer.",
  },
  "break-lost": { name: "Breaks without effect", hint: "A later rule makes the same price with and without them." },
  doubled: { name: "Reduced twice", hint: "A sale and a promotion take off the same piece." },
  unannounced: { name: "Deals nobody hears of", hint: "They follow a purchase and say nothing to the customer." },
  "no-cost": { name: "Cost unknown", hint: "Whether it loses money cannot be told." },
};

export const kindName = (kind: string) => kindWords[kind]?.name ?? kind;

export const severityColour = (severity: string) =>
  severity === "error" ? "text-bad" : severity === "warning" ? "text-ink" : "text-quiet";
