import type { Publication } from "../api/client";
import { count } from "./format";

/** What a publication's state is called. */
export const stateWords: Record<Publication["state"], string> = {
  prepared: "prepared",
  waiting: "waits for a second person",
  queued: "about to be sent",
  sending: "sending",
  done: "all taken",
  partly: "partly taken",
  failed: "nothing taken",
  refused: "refused",
  dropped: "dropped",
};

export const prices = (n: number) => `${count(n)} ${n === 1 ? "price" : "prices"}`;
