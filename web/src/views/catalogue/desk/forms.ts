import type { Pieces, Rule } from "../../../api/client";
import { readForm, writeForm, type Form } from "../../../parts/rule/form";

/** A campaign and a ladder are written with the controls of a rule: what they have of one, as a rule that says no more. */
const asRule = (doc: Partial<Rule> & { code: string }): Form =>
  readForm({ layer: "sale", rank: 1, where: { all: [] }, ...doc });

export const readCampaign = (doc: Partial<Pieces["campaigns"]> & { code: string }): Form =>
  asRule({ ...doc, effect: { percentOff: "0" } });

export const writeCampaign = (form: Form) => {
  const { window, audience, channels, status } = writeForm(form);
  return { window, audience, channels, status };
};

/** What is known of a customer, as rows: the one that is written now may be without a name. */
export const readKnown = (doc: Partial<Pieces["customers"]>): [string, string][] => Object.entries(doc.attrs ?? {});

export const writeKnown = (rows: [string, string][]) => {
  const named = rows.filter(([name]) => name.trim() !== "");
  return { attrs: named.length > 0 ? Object.fromEntries(named) : undefined };
};

export const readLadder = (doc: Partial<Pieces["ladders"]> & { code: string }): Form => asRule(doc);

export const writeLadder = (form: Form) => {
  const { breaks, method, count, measure } = writeForm(form);
  return { breaks: breaks ?? [], method, count, measure };
};
