/** Who, where, how many and when; empty strings stand for everybody, nowhere and now. */
export interface Viewpoint {
  channel: string;
  at: string;
  quantity: number;
  /** "group:CODE", "customer:CODE" or "". */
  who: string;
  /** Rules and campaigns that count as on. */
  with: string[];
  /** What is assumed of the buyer, whoever it is. */
  country: string;
  first: "" | "yes" | "no";
  signedIn: "" | "yes" | "no";
  /** Attributes of the customer, written as the query of an address: "region=north&sector=schools". */
  attrs: string;
}

export const viewpointQuery = (v: Viewpoint) => ({
  channel: v.channel,
  at: v.at,
  quantity: v.quantity,
  who: v.who,
  ...(v.with.length > 0 && { with: v.with }),
  ...(v.country && { country: v.country }),
  ...(v.first && { first: v.first }),
  ...(v.signedIn && { "signed-in": v.signedIn }),
  ...(v.attrs && { attrs: v.attrs }),
});
