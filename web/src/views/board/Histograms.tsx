import { useQuery } from "@tanstack/react-query";
import { histogramsQuery } from "../../api/board";
import type { Viewpoint } from "../../api/viewpoint";
import type { BoardFilter } from "../../lib/address";
import { type Histogram } from "../../api/client";
import { counted } from "../../lib/format";
import { Tip } from "../../ui/tip";

interface Props {
  viewpoint: Viewpoint;
  filter: BoardFilter;
  onPick: (which: "margin" | "change", span: string | null) => void;
}

/** How margins and changes are spread over what the board shows; each bar is a filter. */
export function Histograms({ viewpoint, filter, onPick }: Props) {
  // The bars stay those of the board without their own filter, so that another one can be picked.
  const open = { ...filter, margin: "", "margin-in": "" as const, change: "" };
  const { data } = useQuery(histogramsQuery(viewpoint, open));
  if (!data) return <div className="h-[86px] border-b" />;
  return (
    <div className="flex shrink-0 gap-10 border-b px-3 py-1.5">
      <Bars name="Margin" h={data.margin} picked={filter.margin} onPick={(s) => onPick("margin", s)} />
      <Bars name="Change" h={data.change} picked={filter.change} onPick={(s) => onPick("change", s)} />
    </div>
  );
}

function Bars({
  name,
  h,
  picked,
  onPick,
}: {
  name: string;
  h: Histogram;
  picked: string;
  onPick: (span: string | null) => void;
}) {
  const most = Math.max(1, ...h.counts);
  const span = (i: number) =>
    `${i === 0 ? "" : h.from + i * h.width}:${i === h.counts.length - 1 ? "" : h.from + (i + 1) * h.width}`;
  const words = (i: number) =>
    i === 0
      ? `below ${h.from + h.width} %`
      : i === h.counts.length - 1
        ? `from ${h.from + i * h.width} %`
        : `${h.from + i * h.width} to ${h.from + (i + 1) * h.width} %`;
  return (
    <figure className="min-w-0 flex-1" aria-label={`${name} in percent`}>
      <figcaption className="flex text-[12px] text-quiet">
        {name} in percent
        {h.mean !== null && <span className="ml-2">mean {h.mean} %</span>}
        {picked && (
          <button type="button" className="ml-auto underline underline-offset-2" onClick={() => onPick(null)}>
            all
          </button>
        )}
      </figcaption>
      <div className="flex h-[52px] items-end gap-px">
        {h.counts.map((n, i) => (
          <Tip key={i} text={`${words(i)}: ${counted(n, "product")}`}>
            <button
              type="button"
              disabled={n === 0}
              aria-pressed={picked === span(i)}
              aria-label={`${name} ${words(i)}: ${counted(n, "product")}`}
              className="flex h-full min-w-0 flex-1 items-end disabled:cursor-default enabled:hover:bg-wash"
              onClick={() => onPick(picked === span(i) ? null : span(i))}
            >
              <span
                className={`block w-full ${picked !== "" && picked !== span(i) ? "bg-ink/30" : h.from + i * h.width < 0 && name === "Margin" ? "bg-bad" : "bg-ink/75"}`}
                style={{ height: n === 0 ? 1 : Math.max(3, (n / most) * 50) }}
              />
            </button>
          </Tip>
        ))}
      </div>
      <div className="flex text-[11px] text-quiet">
        <span>{h.from} %</span>
        <span className="ml-auto">{h.from + h.counts.length * h.width} %</span>
      </div>
    </figure>
  );
}
