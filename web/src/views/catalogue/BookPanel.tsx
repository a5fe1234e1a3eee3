import { useMutation } from "@tanstack/react-query";
import { Download, Upload } from "lucide-react";
import { useRef, useState } from "react";
import { compareBook, replaceBook } from "../../api/book";
import { useSave } from "../../api/saving";
import type { BookDifferences } from "../../api/client";
import { count, errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { BrokenChecks } from "../../ui/broken-checks";
import { Empty } from "../../ui/states";

/** The whole book as a document: out, and in after its differences were seen. */
export function BookPanel() {
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<{ name: string; text: string } | null>(null);
  const compare = useMutation({ mutationFn: compareBook });
  const replace = useSave((version: number, seen) => replaceBook({ version, text: file?.text ?? "" }, seen));
  const choose = async (files: FileList | null) => {
    const [chosen] = files ?? [];
    if (input.current) input.current.value = "";
    if (!chosen) return;
    const text = await chosen.text();
    replace.reset();
    setFile({ name: chosen.name, text });
    compare.mutate(text);
  };
  const d = compare.data;
  const problem = compare.error ?? replace.error;
  return (
    <div className="h-full overflow-y-auto px-5 pb-12">
      <div className="mx-auto max-w-[1000px]">
        <div className="flex items-center gap-3 py-3">
          <a
            href="/api/book"
            download
            className="inline-flex min-h-7 items-center gap-1.5 rounded-[3px] border border-ink/40 px-2.5 font-medium hover:bg-wash"
          >
            <Download size={14} aria-hidden /> Save the book as a file
          </a>
          <input
            ref={input}
            type="file"
            accept=".json,application/json"
            className="sr-only"
            aria-label="Book file"
            onChange={(e) => void choose(e.target.files)}
          />
          <Button onClick={() => input.current?.click()}>
            <Upload size={14} aria-hidden /> Compare with a file
          </Button>
          <span className="text-quiet">
            {compare.isPending
              ? `Comparing ${file?.name} …`
              : d
                ? file?.name
                : "Nothing is replaced before you have seen the difference."}
          </span>
        </div>
        {problem && (
          <p role="alert" className="rounded-[4px] border-2 border-bad bg-badwash px-3 py-2 font-medium">
            {errorText(problem)} <span className="font-normal">The saved book is as it was.</span>
          </p>
        )}
        {replace.isSuccess ? (
          <Empty title="The book is replaced">The log below Changes can take it back as a whole.</Empty>
        ) : d ? (
          <Differences d={d} busy={replace.isPending} onReplace={() => replace.mutate(d.version)} />
        ) : (
          !problem &&
          !compare.isPending && (
            <Empty title="Everything that decides prices, in one document">
              Rules, products, customers, channels and settings leave as a JSON file whose format docs/book.md
              describes, and come back the same way.
            </Empty>
          )
        )}
      </div>
    </div>
  );
}

function Differences({ d, busy, onReplace }: { d: BookDifferences; busy: boolean; onReplace: () => void }) {
  if (d.wrong > 0)
    return (
      <section aria-label="Errors of the file" className="mt-2">
        <h2 className="text-bad">This file is no valid book: {count(d.wrong)} errors</h2>
        <table className="mt-1 w-full">
          <tbody>
            {d.errors.map((e, i) => (
              <tr key={i} className="border-t align-top">
                <td className="w-72 py-1 pr-3 font-medium break-all">{e.path || "the file"}</td>
                <td>
                  {e.problem} {e.value && <span className="text-quiet">found {e.value}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    );
  if (d.kinds.length === 0) return <Empty title="The file holds the saved book">Nothing differs.</Empty>;
  return (
    <>
      <div className="mt-1 flex items-end gap-8 border-y py-2" data-testid="book-differences">
        {d.kinds.map((k) => (
          <div key={k.kind}>
            <div className="font-semibold">{k.kind}</div>
            <div className="text-quiet">
              {[
                [k.new, "new"],
                [k.changed, "changed"],
                [k.gone, "gone"],
              ]
                .filter(([n]) => n !== 0)
                .map(([n, word]) => `${count(Number(n))} ${word}`)
                .join(", ")}
            </div>
          </div>
        ))}
        <Button look="ink" className="ml-auto" disabled={busy} onClick={onReplace}>
          Replace the saved book
        </Button>
      </div>
      <p className="mt-2">
        {d.prices
          .map(
            (c) =>
              `${c.name || c.channel}: ${count(c.moved)} prices move${c.below ? `, ${count(c.below)} below cost` : ""}`,
          )
          .join(" · ")}
      </p>
      <BrokenChecks checks={d.checks} />
      <table className="mt-3 w-full">
        <tbody>
          {d.pieces.map((p) => (
            <tr key={p.kind + p.code} className="border-t">
              <td className="w-32 py-1 text-quiet">{p.kind}</td>
              <td>{p.code || "settings"}</td>
              <td className="w-32">{p.what}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
