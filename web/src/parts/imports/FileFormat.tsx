import type { Preview } from "../../api/client";

type Format = Preview["format"];

interface Props {
  preview: Preview;
  onChange: (format: Format) => void;
}

/** How a file is written, as it was found in its contents; each part is a control. What could be read in two ways asks. */
export function FileFormat({ preview, onChange }: Props) {
  const f = preview.format;
  const set = (part: Partial<Format>) => onChange({ ...f, ...part });
  const asks = (what: "decimal" | "dates") => preview.asks.find((a) => a.what === what)?.example;
  const holdsDates = preview.kind === "sales" || preview.kind === "rates";
  return (
    <section aria-label="How the file is written" className="mt-2">
      <p className="leading-8">
        {preview.sheet ? (
          "A spreadsheet; its columns are named by "
        ) : (
          <>
            Text in{" "}
            <select
              aria-label="Encoding"
              className="blank"
              value={f.encoding ?? "utf-8"}
              onChange={(e) => set({ encoding: e.target.value as "utf-8" })}
            >
              <option value="utf-8">UTF-8</option>
              <option value="utf-16">UTF-16</option>
              <option value="windows-1252">Windows-1252</option>
            </select>{" "}
            with{" "}
            <select
              aria-label="Between the cells"
              className="blank"
              value={f.separator ?? "comma"}
              onChange={(e) => set({ separator: e.target.value as "comma" })}
            >
              <option value="comma">commas</option>
              <option value="semicolon">semicolons</option>
              <option value="tab">tabs</option>
              <option value="bar">bars</option>
            </select>{" "}
            between the cells; its columns are named by{" "}
          </>
        )}
        <select
          aria-label="Row that names the columns"
          className="blank max-w-[420px]"
          value={f.header}
          onChange={(e) => set({ header: Number(e.target.value) })}
        >
          <option value={0}>no row</option>
          {preview.top.map((text, i) => (
            <option key={i} value={i + 1}>
              row {i + 1}: {text.slice(0, 70)}
            </option>
          ))}
        </select>
        . Numbers are written{" "}
        <select
          aria-label="Decimal mark"
          className="blank"
          aria-invalid={asks("decimal") !== undefined}
          value={f.decimal ?? ""}
          onChange={(e) => set({ decimal: (e.target.value || undefined) as "point" })}
        >
          <option value="">{asks("decimal") === undefined ? "without decimals" : "choose how"}</option>
          <option value="point">1,234.56</option>
          <option value="comma">1.234,56</option>
        </select>
        {holdsDates && (
          <>
            , dates{" "}
            <select
              aria-label="Order of dates"
              className="blank"
              aria-invalid={asks("dates") !== undefined}
              value={f.dates ?? ""}
              onChange={(e) => set({ dates: (e.target.value || undefined) as "day-first" })}
            >
              <option value="">{asks("dates") === undefined ? "not at all" : "choose how"}</option>
              <option value="year-first">2026-11-27</option>
              <option value="day-first">27.11.2026</option>
              <option value="month-first">11/27/2026</option>
            </select>
          </>
        )}
        .
      </p>
      {preview.asks.map((a) => (
        <p key={a.what} role="alert" className="rounded-[4px] border-2 border-bad bg-badwash px-3 py-1.5 font-medium">
          {a.what === "decimal"
            ? `“${a.example}” can be read in two ways, and nothing else in the file says which: choose above how numbers are written.`
            : `“${a.example}” can be read in two ways, and nothing else in the file says which: choose above how dates are written.`}
        </p>
      ))}
    </section>
  );
}
