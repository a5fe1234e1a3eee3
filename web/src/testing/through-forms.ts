import { readSelection, writeSelection } from "../parts/rule/selection";
import { readForm, writeForm, keptIn, type Form } from "../parts/rule/form";
import { newBreak } from "../parts/rule/effect-form";
import { newNeed } from "../parts/rule/offer-form";
import type { Pieces, ProductDoc, Rule, SettingsDoc } from "../api/client";
import { commaList, fromCommaList } from "../lib/comma-list";
import {
  readCampaign,
  readKnown,
  readLadder,
  writeCampaign,
  writeKnown,
  writeLadder,
} from "../views/catalogue/desk/forms";
import {
  emptyLater,
  pairs,
  readLater,
  readOptions,
  unpair,
  writeLater,
  writeOptions,
  type LaterForm,
} from "../views/catalogue/product-form";
import { docOf, formOf, type SettingsForm } from "../views/catalogue/settings/form";

/**
 * Pieces of the book through the forms that show them, for a test that knows what they mean: what comes out untouched,
 * what cannot be shown, and what comes out after each single field was changed, with the only place that may differ.
 */
export interface Through {
  same: unknown;
  unshown: string[];
  changed: { at: string[]; doc: unknown }[];
}

const ruleChanges: [string[], Partial<Form> | ((f: Form) => Partial<Form> | null)][] = [
  [["name"], { name: "Another name, “quoted”" }],
  [["note"], { note: "another note" }],
  [["rank"], { rank: "77" }],
  [["status"], (f) => ({ status: f.status === "off" ? "on" : "off" })],
  [["campaign"], { campaign: "another" }],
  [["window.from"], { fromDate: "2031-02-03", fromTime: "04:05" }],
  [["window.to"], { toDate: "2032-02-03", toTime: "" }],
  [["window.days"], (f) => ({ days: f.days.join() === "mon" ? ["tue"] : ["mon"] })],
  [["window.hours"], { hoursFrom: "01:00", hoursTo: "02:30" }],
  [["window.weekly"], { weeklyFrom: "mon 01:00", weeklyTo: "tue 02:00" }],
  [["window.yearly"], { yearlyFrom: "01-02", yearlyTo: "03-04" }],
  [["audience.groups"], { groups: ["one", "two"] }],
  [["audience.customers"], { customers: ["C-1"] }],
  [["audience.countries"], { countries: "XX, YY" }],
  [["audience.customerAttr"], (f) => ({ attrs: [...f.attrs, { name: "a new one", values: "1, 2" }] })],
  [["audience.firstOrder"], (f) => ({ firstOrder: f.firstOrder === "yes" ? "no" : "yes" })],
  [["audience.signedIn"], (f) => ({ signedIn: f.signedIn === "yes" ? "no" : "yes" })],
  [["channels"], { channels: ["web", "till"] }],
  [["minQuantity"], { minQuantity: "13" }],
  [["currency"], { currency: "GBP" }],
  [["hireMatch"], (f) => ({ hireMatch: f.hireMatch === "any" ? "inside" : "any" })],
  [["then"], (f) => ({ then: f.then === "end-layer" ? "end-price" : "end-layer" })],
  [["where"], () => ({ selection: readSelection({ brand: "another" }) })],
  [["show.label"], (f) => ({ show: { ...f.show, label: "Another label" } })],
  [["liveTags.add"], { tagsAdd: 'new, "dry, matte"' }],
  [["effect"], (f) => (f.how === "effect" ? { effect: { ...f.effect, kind: "percentOff", value: "12.5" } } : null)],
  [
    ["breaks"],
    (f) =>
      f.how === "breaks"
        ? { breaks: [...f.breaks, { ...newBreak("900000"), effect: { ...newBreak("").effect, value: "7" } }] }
        : null,
  ],
  [["historyDays"], (f) => (f.how === "breaks" ? { historyDays: "41" } : null)],
  [["ladder"], (f) => (f.how === "ladder" ? { ladder: "another" } : null)],
  [["order.perCustomer"], (f) => (f.how === "order" ? { order: { ...f.order, perCustomer: "99" } } : null)],
  [["offer.repeat"], (f) => (f.how === "offer" ? { offer: { ...f.offer, repeat: "9" } } : null)],
  [
    ["offer.needs"],
    (f) =>
      f.how === "offer"
        ? {
            offer: {
              ...f.offer,
              needs: [...f.offer.needs, { ...newNeed(f.offer.needs, "2"), goods: readSelection({ tag: "x" }) }],
            },
          }
        : null,
  ],
  [["mayRaise"], (f) => (f.how === "effect" ? { mayRaise: !f.mayRaise } : null)],
  [["ending"], (f) => (f.how === "effect" ? { ends: true, step: "7", direction: "up", shift: "" } : null)],
  [["floor"], (f) => (f.how === "effect" ? { floorBy: "amount", floor: "3.21", floorFee: false } : null)],
  [["maxOff"], (f) => (f.how === "effect" ? { maxOffBy: "percent", maxOff: "44" } : null)],
  [["of"], (f) => (f.how === "effect" && f.layer !== "catalog" ? { of: f.of === "rrp" ? "list" : "rrp" } : null)],
];

function rule(doc: Rule): Through {
  const form = readForm(doc);
  return {
    same: writeForm(form),
    unshown: keptIn(form).map((k) => k.words),
    changed: ruleChanges.flatMap(([at, change]) => {
      const part = typeof change === "function" ? change(form) : change;
      return part ? [{ at, doc: writeForm({ ...form, ...part }) }] : [];
    }),
  };
}

const plain = (same: unknown, ...changed: Through["changed"]): Through => ({ same, unshown: [], changed });

function product(doc: ProductDoc): Through {
  const again: ProductDoc = { ...doc };
  const put = (key: keyof ProductDoc, value: unknown) => Object.assign(again, { [key]: value });
  for (const key of ["attrs", "levels", "costs", "listIn"] as const)
    if (doc[key] && Object.keys(doc[key]).length > 0) put(key, unpair(pairs(doc[key]), doc[key]));
  if (doc.tags) put("tags", fromCommaList(commaList(doc.tags)));
  if (doc.later) put("later", writeLater(readLater(doc.later)));
  if (doc.options?.length) put("options", writeOptions(readOptions(doc.options)));
  const rows = [...pairs(doc.attrs), { key: "a new one", value: "x" }];
  const year: LaterForm = { ...emptyLater, date: "2041-01-01", list: "17.20" };
  return plain(
    again,
    { at: ["attrs"], doc: { ...again, attrs: unpair(rows, doc.attrs) } },
    { at: ["later"], doc: { ...again, later: writeLater([...readLater(doc.later), year]) ?? [] } },
  );
}

function campaign(doc: Pieces["campaigns"]): Through {
  const form = readCampaign(doc);
  const put = (f: Form) => ({ ...doc, ...writeCampaign(f) });
  return plain(
    put(form),
    { at: ["audience.countries"], doc: put({ ...form, countries: "XX" }) },
    { at: ["window.days"], doc: put({ ...form, days: ["sun"] }) },
    { at: ["status"], doc: put({ ...form, status: form.status === "draft" ? "on" : "draft" }) },
  );
}

function settings(doc: SettingsDoc): Through {
  const form = formOf({ doc, etag: "", rates: ratesOf(doc), taxClasses: [] });
  return plain(
    docOf(form),
    { at: ["timeZone"], doc: docOf({ ...form, doc: { ...form.doc, timeZone: "Asia/Tokyo" } }) },
    {
      at: ["taxRates"],
      doc: docOf({ ...form, classes: [...form.classes, ["a new one", "3"]] } satisfies SettingsForm),
    },
    {
      at: ["countries"],
      doc: docOf({ ...form, countries: [...form.countries, { code: "FR", rates: { standard: "20" } }] }),
    },
  );
}

const ratesOf = (doc: SettingsDoc) =>
  Object.entries(doc.rates ?? {}).map(([currency, rate]) => ({ currency, rate, day: "", channels: [] }));

/** What forms make of one piece of a kind. */
export function throughForms(kind: string, doc: never): Through {
  switch (kind) {
    case "rules":
      return rule(doc);
    case "campaigns":
      return campaign(doc);
    case "ladders": {
      const piece: Pieces["ladders"] = doc;
      const form = readLadder(piece);
      return plain(
        { ...piece, ...writeLadder(form) },
        {
          at: ["breaks"],
          doc: {
            ...piece,
            ...writeLadder({
              ...form,
              breaks: [...form.breaks, { from: "900000", effect: { ...newBreak("").effect, value: "3" } }],
            }),
          },
        },
      );
    }
    case "ranges":
    case "channels": {
      const piece: Pieces["channels"] = doc;
      const words = piece.limits?.refusedWords;
      return plain({
        ...piece,
        ...(piece.where && { where: writeSelection(readSelection(piece.where)) }),
        ...(words && { limits: { ...piece.limits, refusedWords: fromCommaList(commaList(words)) } }),
      });
    }
    case "customers": {
      const piece: Pieces["customers"] = doc;
      const rows = readKnown(piece);
      return plain(
        { ...piece, ...(rows.length > 0 && writeKnown(rows)) },
        { at: ["attrs"], doc: { ...piece, ...writeKnown([...rows, ["a new one", "x, y"]]) } },
      );
    }
    case "products":
      return product(doc);
    case "settings":
      return settings(doc);
    default:
      throw new Error(`no form is known for ${kind}`);
  }
}
