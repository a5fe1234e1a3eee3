import { useProgramState } from "../../api/state";
import type { Preview } from "../../api/client";
import { amount, count, counted } from "../../lib/format";
import { Button } from "../../ui/button";
import { EffectNote } from "../../ui/effect-note";
import { FileFormat } from "./FileFormat";
import type { useImport } from "./useImport";

const things: Record<Preview["kind"], string> = {
  products: "product",
  sales: "sale",
  agreed: "agreed price",
  rates: "exchange rate",
};

/** What a table would change and what is wrong with it; imported whole or not at all. */
export function PreviewSheet({ on, onDone }: { on: ReturnType<typeof useImport>; onDone: () => void }) {
  const { data: state } = useProgramState();
  const p = on.preview;
  if (!p) return null;
  const n = p.new + p.changed;
  // A field that the book has no product with is new, and somebody says what it is.
  const newNamed = (f: Preview["fields"][number]) => f.isNew && (p.mapping[f.key] ?? "") !== "";
  return (
    <>
      <FileFormat preview={p} onChange={on.reformat} />
      <section aria-label="Columns" className="mt-2">
        <h2 className="border-b pb-1">
          Columns {p.remembered && <span className="text-[13px] font-normal text-quiet">matched as the last time</span>}
        </h2>
        <div className="mt-2 grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-x-6 gap-y-1">
          {p.fields.map((f) => (
            <div key={f.key} className="flex items-center gap-2">
              <span className="w-[118px] shrink-0 leading-[1.15] text-quiet" title={f.name}>
                <span className="line-clamp-2">
                  {newNamed(f) ? f.key.replace(/^[a-z]+:/, "") : f.name}
                  {f.required && " *"}
                  {f.key.startsWith("attr:") && !newNamed(f) && <span className="text-[12px]"> (attribute)</span>}
                </span>
                {newNamed(f) && (
                  <select
                    className="field w-full text-[13px] text-ink"
                    aria-label={`What the column ${f.key.replace(/^[a-z]+:/, "")} holds`}
                    value={f.key.split(":")[0]}
                    onChange={(e) => {
                      const { [f.key]: header = "", ...rest } = p.mapping;
                      const key = `${e.target.value}:${f.key.replace(/^[a-z]+:/, "")}`;
                      on.remap({ ...rest, [key]: header });
                    }}
                  >
                    <option value="attr">an attribute</option>
                    <option value="level">a price level</option>
                    <option value="cost">a further cost</option>
                  </select>
                )}
              </span>
              <select
                className="field min-w-0 flex-1"
                value={p.mapping[f.key] ?? ""}
                aria-label={`Column for ${f.name}`}
                onChange={(e) => on.remap({ ...p.mapping, [f.key]: e.target.value })}
              >
                <option value="">not in the file</option>
                {p.headers.filter(Boolean).map((h) => (
                  <option key={h} value={h}>
                    {h}
                  </option>
                ))}
              </select>
            </div>
          ))}
        </div>
      </section>
      {p.problem && (
        <p role="alert" className="mt-3 font-medium text-bad">
          {p.problem}
        </p>
      )}
      {!p.problem && (
        <div className="mt-4 flex items-center gap-6 border-y py-2 text-[15px]">
          <span data-testid="import-counts">
            <b>{count(p.new)}</b> new, <b>{count(p.changed)}</b> changed, <b>{count(p.unchanged)}</b> unchanged,{" "}
            <b className={p.badCount > 0 ? "text-bad" : ""}>{count(p.badCount)}</b> bad, of {count(p.rows)} rows
          </span>
          {on.job && on.job.state === "running" ? (
            <span className="ml-auto flex items-center gap-3" role="status" data-testid="import-progress">
              <progress
                aria-label={on.job.step}
                className="h-2 w-48 accent-ink"
                value={on.job.done}
                max={Math.max(on.job.total, 1)}
              />
              <span className="text-quiet">
                {on.job.step || "Beginning"} {on.job.total > 0 && `${count(on.job.done)} of ${count(on.job.total)}`}
              </span>
              <Button onClick={on.giveUp}>Give up</Button>
            </span>
          ) : (
            <Button look="ink" className="ml-auto" disabled={!on.good || on.saving} onClick={() => on.save(onDone)}>
              Import {counted(n, things[p.kind])}
            </Button>
          )}
        </div>
      )}
      {on.good && (
        <section aria-label="What it would do to prices" className="mt-3">
          <h2>What it would do to prices</h2>
          <div className="mt-1">
            <EffectNote effect={on.effect.data} busy={on.effect.isFetching} now={state?.now ?? ""} />
          </div>
        </section>
      )}
      {p.badCount > 0 && (
        <section aria-label="Bad rows" className="mt-3">
          <h2 className="text-bad">
            {p.asks.length > 0
              ? "These rows wait for what is chosen above"
              : "Mend these in the file and choose it again: a file is imported whole or not at all"}
          </h2>
          <table className="mt-1 w-full">
            <thead className="text-left text-[12px] text-quiet">
              <tr>
                <th className="w-16 font-normal">line</th>
                <th className="w-44 font-normal">column</th>
                <th className="w-60 font-normal">value</th>
                <th className="font-normal">what is wrong</th>
              </tr>
            </thead>
            <tbody>
              {p.bad.map((b, i) => (
                <tr key={i} className="border-t">
                  <td className="py-1">{b.line}</td>
                  <td>{b.column || "–"}</td>
                  <td className="max-w-60 truncate">{b.value === "" ? "–" : b.value}</td>
                  <td>{b.problem}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {p.badCount > p.bad.length && <p className="text-quiet">and {count(p.badCount - p.bad.length)} more</p>}
        </section>
      )}
      {p.changes.length > 0 && (
        <section aria-label="What would change" className="mt-4">
          <h2>What would change</h2>
          <table className="mt-1 w-full">
            <tbody>
              {p.changes.map((c, i) => (
                <tr key={i} className="border-t align-top">
                  <td className="w-40 py-1 pr-3">{c.sku}</td>
                  <td className="w-72 pr-3">
                    {c.new && (
                      <span className="mr-1.5 rounded-[3px] bg-ink px-1.5 py-px text-[12px] text-paper">new</span>
                    )}
                    {p.kind === "sales" ? c.name.replace("T", " ") : c.name}
                  </td>
                  <td>
                    {c.changes
                      .filter((x) => x.field !== "name" || !c.new)
                      .map((x) => (
                        <span key={x.field} className="mr-4 inline-block">
                          <span className="text-quiet">{p.fields.find((f) => f.key === x.field)?.name ?? x.field}</span>{" "}
                          {x.was && <span className="text-quiet">{shown(x.field, x.was)} → </span>}
                          <b className="font-medium">{shown(x.field, x.is)}</b>
                        </span>
                      ))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {n > p.changes.length && <p className="text-quiet">and {count(n - p.changes.length)} more</p>}
        </section>
      )}
    </>
  );
}

const shown = (field: string, text: string) =>
  ["list", "cost", "rrp", "map", "price", "paid"].includes(field) || /^(level|cost):/.test(field) ? amount(text) : text;
