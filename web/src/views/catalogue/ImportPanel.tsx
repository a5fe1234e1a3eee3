import { useQuery } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useRef, useState } from "react";
import { useSearchParams } from "react-router";
import type { ImportKind } from "../../api/imports";
import { dropSales, salesQuery } from "../../api/sales";
import { useSave } from "../../api/saving";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { count, errorText, moment } from "../../lib/format";
import { Button } from "../../ui/button";
import { Empty } from "../../ui/states";
import { useFailed } from "../../ui/toasts";
import { PreviewSheet } from "../../parts/imports/PreviewSheet";
import { useImport } from "../../parts/imports/useImport";

const kinds: [ImportKind, string, string][] = [
  [
    "products",
    "Products",
    "SKU, name, list price, cost, price levels, further costs, category, brand, tags, stock and more. A SKU that is in the book is changed, any other is new. An empty cell leaves what is there.",
  ],
  [
    "sales",
    "Sales",
    "When, SKU and quantity of each sold line; customer, what was paid and channel where they are known. Units sold, first orders and earlier purchases come from them. The same line again is not counted twice.",
  ],
  [
    "agreed",
    "Agreed prices",
    "Customer (by code or name), SKU and the price agreed with that customer. What is agreed already and not in the file stays.",
  ],
  [
    "rates",
    "Exchange rates",
    "Currency, rate and the day that it is of: one in the book’s currency × rate is the amount in that currency.",
  ],
];

/** A file: chosen, its columns matched, what it would change and what is wrong with it, then imported or not. */
export function ImportPanel() {
  const input = useRef<HTMLInputElement>(null);
  const [params, setParams] = useSearchParams();
  const kind = kinds.find(([k]) => k === params.get("file"))?.[0] ?? "products";
  const [over, setOver] = useState(false);
  const [done, setDone] = useState(false);
  const on = useImport();
  const may = useMay("manager");
  const choose = (files: FileList | null) => {
    const [file] = files ?? [];
    setDone(false);
    if (file && may) on.choose(file, kind);
    if (input.current) input.current.value = "";
  };
  return (
    <div
      className={`h-full overflow-y-auto px-5 pb-12 ${over ? "bg-wash" : ""}`}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        choose(e.dataTransfer.files);
      }}
    >
      <div className="mx-auto max-w-[1100px]">
        <div className="flex items-center gap-3 py-3">
          <select
            aria-label="What the file holds"
            className="field"
            value={kind}
            disabled={on.saving}
            onChange={(e) => {
              on.reset();
              setDone(false);
              setParams(
                (old) => {
                  const next = new URLSearchParams(old);
                  next.set("file", e.target.value);
                  return next;
                },
                { replace: true },
              );
            }}
          >
            {kinds.map(([key, name]) => (
              <option key={key} value={key}>
                {name}
              </option>
            ))}
          </select>
          <input
            ref={input}
            type="file"
            accept=".csv,.txt,.xlsx,text/csv,text/plain"
            className="sr-only"
            aria-label="Product file"
            onChange={(e) => choose(e.target.files)}
          />
          <Button
            look={on.preview ? "plain" : "ink"}
            disabled={on.saving || !may}
            onClick={() => input.current?.click()}
          >
            <Upload size={14} aria-hidden /> {on.preview ? "Choose another file" : "Choose a file"}
          </Button>
          <span className="text-quiet">
            {!may
              ? "Bringing files in needs a pricing manager."
              : on.reading
                ? "Reading and comparing …"
                : on.preview
                  ? on.preview.file
                  : "A text file (CSV and the like) or a spreadsheet (XLSX), written as your store writes it; or drop it here."}
          </span>
        </div>
        {on.problem && (
          <p role="alert" className="rounded-[4px] border-2 border-bad bg-badwash px-3 py-2 font-medium">
            {errorText(on.problem)} <span className="font-normal">The catalogue is as it was.</span>
          </p>
        )}
        {done ? (
          <Empty title="It is in">Changes can take it back as a whole.</Empty>
        ) : on.preview ? (
          <PreviewSheet
            on={on}
            onDone={() => {
              setDone(true);
              on.reset();
            }}
          />
        ) : (
          !on.problem &&
          !on.reading && (
            <Empty title={`Bring in ${(kinds.find(([k]) => k === kind)?.[1] ?? "").toLowerCase()}`}>
              {kinds.find(([k]) => k === kind)?.[2]}
              <span className="mt-2 block">
                A sample with your own goods:{" "}
                {(["xlsx", "csv"] as const).map((format, i) => (
                  <span key={format}>
                    {i > 0 && " or "}
                    <a
                      className="underline underline-offset-2"
                      href={`/api/imports/sample?${new URLSearchParams({ kind, format }).toString()}`}
                      download
                    >
                      {format === "xlsx" ? "spreadsheet (XLSX)" : "text file (CSV)"}
                    </a>
                  </span>
                ))}
              </span>
            </Empty>
          )
        )}
        {kind === "sales" && !on.preview && <SalesFiles />}
      </div>
    </div>
  );
}

/** The files of sales brought in so far, each of which can be taken back. */
function SalesFiles() {
  const { data } = useQuery(salesQuery);
  const { data: state } = useProgramState();
  const fail = useFailed();
  const drop = useSave(dropSales);
  if (!data || data.files.length === 0) return null;
  return (
    <section aria-label="Sales brought in" className="mt-4">
      <h2 className="border-b pb-1">Sales brought in</h2>
      {data.files.map((f) => (
        <div key={f.id} className="flex items-center gap-4 border-b py-1">
          <span className="flex-1 truncate">{f.name}</span>
          <span className="text-quiet">{count(f.rows)} lines</span>
          <span className="w-56 text-right text-quiet">
            {moment(f.at, state?.now)} by {f.who}
          </span>
          <Button
            aria-label={`Take back ${f.name}`}
            disabled={drop.isPending}
            onClick={() => drop.mutate(f.id, { onError: fail })}
          >
            Take back
          </Button>
        </div>
      ))}
    </section>
  );
}
