import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { refresh } from "../../api/saving";
import { useMay } from "../../api/session";
import { setUp } from "../../api/settings";
import { Problem } from "../../api/client";
import { errorText } from "../../lib/format";
import { Add, Blank, Choice, Out } from "../../ui/blanks";
import { Button } from "../../ui/button";
import { Empty, FieldError } from "../../ui/states";
import { TaxClassBlanks } from "../../ui/tax-class";

const known = (kind: "currency" | "timeZone") => Intl.supportedValuesOf(kind);

/** What a new book has to know before anything has a price: currency, time zone, taxes, rounding. */
export function SetUp() {
  const may = useMay("administrator");
  const client = useQueryClient();
  const navigate = useNavigate();
  const [currency, setCurrency] = useState("EUR");
  const [timeZone, setTimeZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone);
  const [tax, setTax] = useState<"with" | "without">("with");
  const [classes, setClasses] = useState<[string, string][]>([["standard", "21"]]);
  const [rounding, setRounding] = useState<"half-up" | "half-even">("half-up");
  const [roundAt, setRoundAt] = useState<"end" | "step">("end");
  const save = useMutation({
    mutationFn: () =>
      setUp({
        currency: currency.trim().toUpperCase(),
        timeZone: timeZone.trim(),
        pricesIncludeTax: tax === "with",
        taxRates: Object.fromEntries(classes.map(([name, percent]) => [name.trim(), percent.trim()])),
        rounding,
        roundAt,
      }),
    onSuccess: async () => {
      await refresh(client);
      await navigate("/catalogue/import");
    },
  });
  if (!may)
    return <Empty title="This book is not set up yet">An administrator says its currency and taxes first.</Empty>;
  const at = (place: string) =>
    save.error instanceof Problem
      ? save.error.details.find((d) => d.location === place || d.location.startsWith(place + "."))?.message
      : undefined;
  const told = ["currency", "timeZone", "taxRates", "rounding"].some((p) => at(p) !== undefined);
  return (
    <div className="h-full overflow-y-auto">
      <form
        className="mx-auto max-w-[640px] px-6 pt-[8vh] pb-12"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <h1 className="text-[26px] font-bold tracking-tight">A new book</h1>
        <p className="text-quiet">
          Four things that every price rests on. All but the currency are easily changed later, under Catalogue.
        </p>
        <div className="mt-5 space-y-3 text-[15px] leading-8">
          <p>
            Amounts are in{" "}
            <Blank
              label="Currency"
              list="currencies"
              autoFocus
              className="mx-1 w-20"
              bad={at("currency") !== undefined}
              value={currency}
              onChange={setCurrency}
            />
            <datalist id="currencies">
              {known("currency").map((c) => (
                <option key={c} value={c} />
              ))}
            </datalist>
            , and times are those of{" "}
            <Blank
              label="Time zone"
              list="zones"
              className="w-52"
              bad={at("timeZone") !== undefined}
              value={timeZone}
              onChange={setTimeZone}
            />
            <datalist id="zones">
              {known("timeZone").map((z) => (
                <option key={z} value={z} />
              ))}
            </datalist>
            .
          </p>
          <p className="!mt-0 leading-6">
            <FieldError>{at("currency") ?? at("timeZone")}</FieldError>
          </p>
          <p>
            List prices are kept{" "}
            <Choice
              label="Prices and tax"
              value={tax}
              options={[
                ["with", "with tax"],
                ["without", "without tax"],
              ]}
              onChange={setTax}
            />
            ; costs are always without.
          </p>
          <div>
            {classes.map(([name, percent], i) => (
              <p key={i}>
                Goods of the tax class{" "}
                <TaxClassBlanks
                  n={i + 1}
                  value={[name, percent]}
                  between=" are taxed "
                  onChange={(v) => setClasses(classes.map((c, k) => (k === i ? v : c)))}
                />
                <Out
                  label={`Take tax class ${i + 1} out`}
                  onClick={() => setClasses(classes.filter((_, k) => k !== i))}
                />
              </p>
            ))}
            <Add onClick={() => setClasses([...classes, ["", ""]])}>tax class</Add>
          </div>
          <FieldError>{at("taxRates")}</FieldError>
          <p>
            Prices are rounded to the smallest coin,{" "}
            <Choice
              label="Rounding of halves"
              value={rounding}
              options={[
                ["half-up", "halves up"],
                ["half-even", "halves to the even one"],
              ]}
              onChange={setRounding}
            />
            ,{" "}
            <Choice
              label="When prices are rounded"
              value={roundAt}
              options={[
                ["end", "once at the end"],
                ["step", "after every rule"],
              ]}
              onChange={setRoundAt}
            />
            .
          </p>
        </div>
        {save.error && !told && <FieldError>{errorText(save.error)}</FieldError>}
        <div className="mt-6 flex items-center gap-3">
          <Button look="ink" type="submit" disabled={save.isPending}>
            Set the book up
          </Button>
          <span className="text-quiet">Then bring the products in.</span>
        </div>
      </form>
    </div>
  );
}
