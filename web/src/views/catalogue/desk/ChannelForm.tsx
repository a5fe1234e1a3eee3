import { useState } from "react";
import { useItems, useKeeps } from "../../../api/items";
import { amount } from "../../../lib/format";
import { useSettings } from "../../../api/settings";
import { Blank, Choice } from "../../../ui/blanks";
import { CommaBlank } from "../../../ui/comma-blank";
import { HireHours } from "../../../ui/hire-hours";
import { FieldError } from "../../../ui/states";
import { SelectionBuilder } from "../../../parts/rule/SelectionBuilder";
import { readSelection, writeSelection } from "../../../parts/rule/selection";
import type { FormProps } from "./ItemDesk";
import { Reach } from "./RangeForm";

type Part = Record<string, unknown>;
const abilities = [
  ["breaks", "quantity breaks"],
  ["brackets", "bracket by bracket"],
  ["offers", "offers"],
  ["codes", "codes"],
  ["groups", "customer groups"],
  ["schedule", "starts and ends by itself"],
] as const;

/** What keeping the price, or what is left of it without tax, does to one product's price and margin. */
function KeepsExample({ doc }: { doc: FormProps<"channels">["doc"] }) {
  const { data } = useKeeps(doc);
  if (!data?.sku) return null;
  const one = (k: typeof data.price) => (
    <>
      {amount(k.unit)}, without tax {amount(k.net)}
      {k.margin !== null && `, margin ${k.margin} %`}
    </>
  );
  return (
    <p className="border-l-2 border-ink/25 pl-3 text-[13px] leading-5 text-quiet" data-testid="keeps-example">
      {data.name || data.sku}: with the price kept {one(data.price)}; with what is left kept {one(data.net)}.
    </p>
  );
}

/** A channel: currency, tax, fee, ending, what it lists, what it can do and what it demands of a price. */
export function ChannelForm({ doc, set, errorAt }: FormProps<"channels">) {
  const { data: groups } = useItems("groups");
  const { data: settings } = useSettings();
  const [selection, setSelection] = useState(() => readSelection(doc.where));
  const [some, setSome] = useState(doc.where !== undefined);
  const book = settings?.doc.currency ?? "";
  const whole: Part = doc;
  const text = (key: string, from = whole) =>
    typeof from[key] === "string" || typeof from[key] === "number" ? String(from[key]) : "";
  const inside = (key: string): Part => (whole[key] as Part | undefined) ?? {};
  // An object of the document with one key changed; without keys it goes.
  const put = (key: string, part: Part) => {
    const next = Object.fromEntries(
      Object.entries({ ...inside(key), ...part }).filter(([, v]) => v !== "" && v !== undefined && v !== false),
    );
    set({ [key]: Object.keys(next).length > 0 ? next : undefined });
  };
  const can: string[] = doc.can ?? abilities.map(([k]) => k as string).filter((k) => k !== "schedule");
  const number = (key: string, of: string, label: string, width = "w-16") => (
    <Blank
      label={label}
      className={`${width} text-right`}
      inputMode="decimal"
      placeholder="–"
      bad={errorAt(`${of}.${key}`) !== undefined}
      value={text(key, inside(of))}
      onChange={(v) => put(of, { [key]: v.trim() })}
    />
  );
  const tick = (key: string, label: string) => (
    <label className="mr-4 inline-flex items-center gap-1.5">
      <input
        type="checkbox"
        className="accent-ink"
        checked={inside("limits")[key] === true}
        onChange={(e) => put("limits", { [key]: e.target.checked })}
      />
      {label}
    </label>
  );
  const words = inside("limits").refusedWords;
  return (
    <div className="space-y-1 leading-8">
      <p>
        sells in{" "}
        <Blank
          label="Currency"
          className="w-14"
          placeholder={book}
          bad={errorAt("currency") !== undefined}
          value={text("currency")}
          onChange={(v) => set({ currency: v.trim().toUpperCase() })}
        />{" "}
        with tax{" "}
        <Choice
          label="Tax"
          value={text("tax")}
          options={[
            ["", "as the book"],
            ["included", "included"],
            ["excluded", "excluded"],
          ]}
          onChange={(tax) => set({ tax })}
        />
        , in the country{" "}
        <Blank
          label="Country"
          className="w-12"
          placeholder="any"
          value={text("country")}
          onChange={(v) => set({ country: v.trim() })}
        />
        {doc.country && settings?.doc.countries?.[doc.country] && (
          <>
            , where it keeps{" "}
            <Choice
              label="What it keeps"
              value={text("keeps") || "price"}
              options={[
                ["price", "the price"],
                ["net", "what is left without tax"],
              ]}
              onChange={(keeps) => set({ keeps: keeps === "net" ? "net" : undefined })}
            />
          </>
        )}
        , its visitors count as{" "}
        <Choice
          label="Group of its visitors"
          value={text("group")}
          options={[["", "guests"] as const, ...(groups ?? []).map((g) => [g.code, g.name || g.code] as const)]}
          onChange={(group) => set({ group })}
        />{" "}
        <FieldError>{errorAt("currency") ?? errorAt("group") ?? errorAt("tax")}</FieldError>
      </p>
      {doc.country && settings?.doc.countries?.[doc.country] && <KeepsExample doc={doc} />}
      <p>
        It keeps {number("percent", "fee", "Fee in percent")} % of the price without tax and{" "}
        {number("amount", "fee", "Fee a piece")} a piece. <FieldError>{errorAt("fee")}</FieldError>
      </p>
      <p>
        Its prices end on steps of {number("step", "ending", "Ending step")}{" "}
        <Choice
          label="Ending direction"
          value={text("direction", inside("ending"))}
          options={[
            ["", "nearest"],
            ["up", "up"],
            ["down", "down"],
          ]}
          onChange={(direction) => put("ending", { direction })}
        />{" "}
        plus {number("shift", "ending", "Ending shift")} <FieldError>{errorAt("ending")}</FieldError>
      </p>
      <p>
        <HireHours
          value={doc.hire}
          above="in the book’s settings"
          error={errorAt("hire")}
          onChange={(hire) => set({ hire })}
        />
      </p>
      <div>
        <label className="inline-flex items-center gap-2">
          <input
            type="checkbox"
            className="accent-ink"
            checked={!some}
            onChange={(e) => {
              setSome(!e.target.checked);
              set({ where: e.target.checked ? undefined : writeSelection(selection) });
            }}
          />
          It lists every product
        </label>
        {some && (
          <>
            <SelectionBuilder
              title="What it lists"
              selection={selection}
              onChange={(s) => {
                setSelection(s);
                set({ where: writeSelection(s) });
              }}
            />
            {doc.where !== undefined && <Reach where={doc.where} />}
            <FieldError>{errorAt("where")}</FieldError>
          </>
        )}
      </div>
      <fieldset className="rounded-[4px] border border-ink/30 bg-sheet px-3 pb-1.5">
        <legend className="px-1 text-[12px] text-quiet">What it can do</legend>
        {abilities.map(([key, name]) => (
          <label key={key} className="mr-4 inline-flex items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-ink"
              checked={can.includes(key)}
              onChange={(e) => {
                const next = abilities
                  .map(([k]) => k as string)
                  .filter((k) => (k === key ? e.target.checked : can.includes(k)));
                const usual = abilities.every(([k]) => next.includes(k) === (k !== "schedule"));
                set({ can: usual ? undefined : next });
              }}
            />
            {name}
          </label>
        ))}
      </fieldset>
      <fieldset className="rounded-[4px] border border-ink/30 bg-sheet px-3 pb-1.5">
        <legend className="px-1 text-[12px] text-quiet">What it demands of a reduced price</legend>
        <p>
          {tick("wholeUnits", "whole amounts")}
          {tick("needsReference", "a price to compare with")}
          {tick("needsTerms", "terms")}
        </p>
        <p>
          at least {number("minOffPercent", "limits", "Least reduction")} % and at most{" "}
          {number("maxOffPercent", "limits", "Most reduction")} % off, counted from{" "}
          <Choice
            label="Reductions counted from"
            value={text("offFrom", inside("limits"))}
            options={[
              ["", "the price after the catalog layer"],
              ["lowest30", "the lowest of 30 days"],
            ]}
            onChange={(offFrom) => put("limits", { offFrom })}
          />
        </p>
        <p>
          {number("leadHours", "limits", "Hours of notice")} hours’ notice, a rating of at least{" "}
          {number("minRating", "limits", "Least rating")}, and none of the words{" "}
          <CommaBlank
            label="Refused words"
            className="w-64"
            placeholder="none"
            items={Array.isArray(words) ? (words as string[]) : []}
            onChange={(list) => put("limits", { refusedWords: list.length > 0 ? list : undefined })}
          />
        </p>
        <FieldError>{errorAt("limits")}</FieldError>
      </fieldset>
    </div>
  );
}
