/** Who, where, how many and when; empty strings stand for everybody, nowhere and now. */
export interface Viewpoint {
  channel: string;
  at: string;
  quantity: number;
  /** "group:CODE", "customer:CODE" or "". */
  who: string;
  /** Rules and campaigns that count as on. */
  with: string[];
}

export const viewpointQuery = (v: Viewpoint) => ({
  channel: v.channel,
  at: v.at,
  quantity: v.quantity,
  who: v.who,
  ...(v.with.length > 0 && { with: v.with }),
});
