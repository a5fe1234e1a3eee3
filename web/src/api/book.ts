import { api, take, type Seen } from "./client";

// A whole book goes out as the text that was read, not as what JavaScript makes of it.
const as = (text: string) => ({
  body: text,
  bodySerializer: (whole: string) => whole,
  headers: { "Content-Type": "application/json" },
});

/** What another book in the place of the saved one would change. */
export const compareBook = (text: string) => take(api.POST("/api/book/compare", as(text)));

export const replaceBook = (input: { version: number; text: string }, seen: Seen) =>
  take(api.PUT("/api/book", { params: { query: { version: input.version }, header: seen }, ...as(input.text) }));
