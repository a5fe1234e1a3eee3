import type { BoardRow, Difference, State } from "../api/client";
import type { Viewpoint } from "../api/viewpoint";

/** The state of an invented shop with two channels, on a Thursday in November. */
export const shopState = {
  channels: [
    { code: "web", name: "web shop" },
    { code: "quay", name: "shop on the quay" },
  ],
  currency: "EUR",
  layers: [],
  now: "2026-11-26T09:00",
  outage: null,
  products: 3,
  refused: [],
  setUp: false,
  timeZone: "Europe/Amsterdam",
  version: 12,
  flags: { searching: false },
} as unknown as State;

/** Everyone at the web shop, now. */
export const guest: Viewpoint = {
  channel: "web",
  at: "",
  quantity: 1,
  who: "",
  with: [],
  country: "",
  first: "",
  signedIn: "",
  attrs: "",
};

/** Whoever is signed in may do everything. */
export const administrator = { name: "maren", role: "administrator", demo: [] };

/** Groups and customers whose names are hostile. */
export const groups = {
  items: [
    { code: "trade", name: "Trade & “friends”", doc: {}, etag: "1", uses: [] },
    { code: "school", name: "<Schools>", doc: {}, etag: "1", uses: [] },
  ],
};
export const customers = { items: [{ code: "c1", name: "=Hollow Lane", doc: {}, etag: "1", uses: [] }] };

export const row = (parts: Partial<BoardRow>): BoardRow => ({
  after: [],
  against: null,
  bookCost: null,
  bookList: null,
  category: "Clay",
  change: null,
  cost: null,
  flags: [],
  list: null,
  lowest: null,
  margin: null,
  marginAmount: null,
  name: "Buff <stoneware> & grog",
  price: null,
  rules: [],
  sku: "CLAY-1",
  sold: null,
  stock: null,
  unit: "each",
  ...parts,
});

export const difference = (parts: Partial<Difference>): Difference => ({
  blocked: [],
  held: false,
  leftOut: false,
  pieces: [],
  category: "Clay/Stoneware",
  change: null,
  cost: "5.00",
  kind: "down",
  marginAmount: "1.00",
  name: "Buff <stoneware> & grog",
  price: "9.00",
  reference: null,
  rules: [],
  sku: "CLAY-1",
  was: "10.00",
  ...parts,
});
