import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

type Schemas = components["schemas"];
export type Schema = Schemas;
export type State = Schemas["State"];
export type BoardRow = Schemas["BoardRow"];
export type RuleRow = Schemas["RuleRow"];
export type Rule = Schemas["BookRule"];
export type Where = Schemas["BookWhereEntering"];
export type Impact = Schemas["ImpactRule"];
export type Trial = Schemas["Trial"];
export type DocError = Schemas["Error"];
export type Flag = Schemas["FlagAnswer"];
export type FlagEntry = Schemas["FlagsearchEntry"];
export type FlagGroup = Schemas["FlagsearchGroup"];
export type FlagFix = Schemas["FlagFix"];
export type FlagBrief = Schemas["FlagBrief"];
export type PriceDetail = Schemas["PriceDetail"];
export type BasketDetail = Schemas["BasketDetail"];
export type BasketGoods = Schemas["BasketGoods"];
export type Trail = Schemas["Trail"];
export type Differences = Schemas["ChannelDifferences"];
export type Difference = Schemas["Difference"];
export type PieceRow = Schemas["PieceRow"];
export type StopRow = Schemas["StopRow"];
export type RolloutRow = Schemas["RolloutRow"];
export type Publication = Schemas["PublicationAnswer"];
export type Preview = Schemas["IntakePreview"];
export type BookDifferences = Schemas["BookDifferences"];
export type Histogram = Schemas["BoardHistogram"];
export type Outlook = Schemas["Outlook"];
/** A small piece of the book, with what it is known by. */
export type Item<K extends ItemKind = ItemKind> = Omit<Schemas["Item"], "doc"> & { doc: Pieces[K] };
export type Demand = Schemas["ImpactDemand"];
export type BulkForm = Schemas["BulkAmounts"];
/** A span of numbers, inclusive. */
export type Bounds = Schemas["BookBounds"];
export type Effect = Schemas["BookEffect"];
export type Break = Schemas["BookBreak"];
export type Saved = Schemas["Saved"];
export type Job = Schemas["Job"];
export type EditChange = Schemas["EditChange"];
export type EditImpact = Schemas["ImpactEdit"];
export type BrokenCheck = Schemas["ChecksResult"];
export type CheckRow = Schemas["CheckRow"];
export type Calendar = Schemas["Calendar"];
export type CalendarBar = Schemas["CalendarBar"];
export type CalendarConflict = Schemas["CalendarConflict"];
export type PriceCourse = Schemas["PriceCourse"];
export type ProductPage = Schemas["ProductPage"];
export type Settings = Schemas["SettingsPage"];
export type Unmet = Schemas["Unmet"];
export type Layer = Rule["layer"];
export type ItemKind = "groups" | "customers" | "ranges" | "ladders" | "campaigns" | "channels";
/** The pieces of the book as docs/book.md writes them. */
export interface Pieces {
  groups: Schemas["BookGroup"];
  customers: Schemas["BookCustomer"];
  ranges: Schemas["BookRange"];
  ladders: Schemas["BookLadder"];
  campaigns: Schemas["BookCampaign"];
  channels: Schemas["BookChannel"];
}
export type SettingsDoc = Schemas["BookSettings"];
export type ProductDoc = Schemas["BookProduct"];

/** Says of a write that whoever makes it has seen which pinned prices it breaks. */
export interface Seen {
  "Checks-Seen"?: boolean;
}

export const api = createClient<paths>();

/** Whoever was signed in no longer is: the page asks anew who is there. */
let signedOut: () => void = () => undefined;
export const onSignedOut = (act: () => void) => {
  signedOut = act;
};
api.use({
  onResponse({ response, schemaPath }) {
    if (response.status === 401 && schemaPath !== "/api/session") signedOut();
  },
});

/** What is wrong with one value of a request. */
export interface Detail {
  location: string;
  message: string;
}

/** A problem document (RFC 9457) as an error. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly details: Detail[],
    readonly now: unknown,
    /** Pinned prices that the write would break; it is made once somebody has seen them. */
    readonly checks: BrokenCheck[] = [],
  ) {
    super(message);
  }
}

interface ProblemDocument {
  status?: number;
  detail?: string;
  title?: string;
  errors?: { location?: string; message?: string }[];
  now?: unknown;
  checks?: BrokenCheck[];
}

/** The data of an answer, or its problem thrown. */
export async function take<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let got;
  try {
    got = await answer;
  } catch {
    throw new Problem(0, "The program does not answer. Is it still running?", [], undefined);
  }
  if (got.error !== undefined || !got.response.ok) {
    const p = (got.error ?? {}) as ProblemDocument;
    const details = (p.errors ?? []).map((e) => ({ location: e.location ?? "", message: e.message ?? "" }));
    throw new Problem(got.response.status, p.detail || p.title || "Something went wrong.", details, p.now, p.checks);
  }
  return got.data as T;
}
