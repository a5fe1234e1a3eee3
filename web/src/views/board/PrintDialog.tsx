import { useState } from "react";
import { boardFile } from "../../api/board";
import { useProgramState } from "../../api/state";
import type { Viewpoint } from "../../api/viewpoint";
import type { BoardFilter } from "../../lib/address";
import { count } from "../../lib/format";
import { useTyped } from "../../lib/typed";
import { Button } from "../../ui/button";
import { SheetClose, SheetDialog } from "../../ui/sheet-dialog";

interface Props {
  what: "labels" | "list";
  viewpoint: Viewpoint;
  filter: BoardFilter;
  total: number;
  onClose: () => void;
}

/** How labels lie on a sheet of A4: the size of one in millimetres, and how many there are. */
const sheets = [
  ["105x74", "105 × 74 mm, 8 on a sheet", 8],
  ["105x57", "105 × 57 mm, 10 on a sheet", 10],
  ["70x42", "70 × 42 mm, 21 on a sheet", 21],
  ["70x37", "70 × 37 mm, 24 on a sheet", 24],
  ["52x30", "52 × 30 mm, 40 on a sheet", 40],
] as const;

const most = 20_000;

const link = "rounded-[4px] border border-ink px-3 py-1 font-medium";

/** Shelf labels or a price list of what the board shows, as its channel would be told it, seen before it is printed. */
export function PrintDialog({ what, viewpoint, filter, total, onClose }: Props) {
  const [sheet, setSheet] = useState("70x37");
  const [skip, setSkip] = useState(0);
  const [title, setTitle] = useState("");
  const [note, setNote] = useState("");
  const titled = useTyped(title, setTitle, 400);
  const noted = useTyped(note, setNote, 400);
  const { data: state } = useProgramState();
  const channel = state?.channels.find((c) => c.code === viewpoint.channel);
  const unsent = channel?.changes ?? 0;
  const [of, setOf] = useState("published");
  const on = sheets.find(([code]) => code === sheet)?.[2] ?? 1;
  const gone = Math.min(skip, on - 1); // of a sheet with fewer labels, too
  const labels = what === "labels";
  const how: Record<string, string> = labels ? { sheet, skip: gone > 0 ? String(gone) : "" } : { title, note };
  if (of === "saved") how.of = of;
  const address = (more: Record<string, string> = {}) =>
    boardFile(labels ? "/api/labels" : "/api/price-list", viewpoint, filter, { ...how, ...more });
  const none =
    total === 0 ? "The board shows nothing." : total > most ? `At most ${count(most)} are printed at once.` : "";
  return (
    <SheetDialog
      title={`${labels ? "Shelf labels" : "Price list"} of ${count(total)} ${total === 1 ? "product" : "products"} shown`}
      width={920}
      onClose={onClose}
    >
      <div className="mt-3 flex min-h-0 gap-5">
        <div className="flex w-64 shrink-0 flex-col gap-3">
          {labels ? (
            <>
              <label className="flex flex-col gap-1">
                Labels
                <select className="field" value={sheet} onChange={(e) => setSheet(e.target.value)}>
                  {sheets.map(([code, words]) => (
                    <option key={code} value={code}>
                      {words}
                    </option>
                  ))}
                </select>
              </label>
              <label className="flex flex-col gap-1">
                Gone from the first sheet
                <input
                  className="field w-20"
                  type="number"
                  min={0}
                  max={on - 1}
                  value={gone}
                  onChange={(e) => setSkip(Math.min(Math.max(Math.trunc(Number(e.target.value) || 0), 0), on - 1))}
                />
              </label>
            </>
          ) : (
            <>
              <label className="flex flex-col gap-1">
                Title
                <input
                  className="field"
                  maxLength={200}
                  placeholder="the channel's name"
                  value={titled.text}
                  onChange={(e) => titled.type(e.target.value)}
                  onBlur={titled.done}
                />
              </label>
              <label className="flex flex-col gap-1">
                Note
                <textarea
                  className="field h-24"
                  maxLength={2000}
                  value={noted.text}
                  onChange={(e) => noted.type(e.target.value)}
                  onBlur={noted.done}
                />
              </label>
            </>
          )}
          {unsent > 0 && (
            <label className="flex flex-col gap-1">
              <span>
                {count(unsent)} {unsent === 1 ? "change was" : "changes were"} not sent to {channel?.name ?? "it"} yet
              </span>
              <select aria-label="Prices" className="field" value={of} onChange={(e) => setOf(e.target.value)}>
                <option value="published">as customers pay now</option>
                <option value="saved">as they will once all is sent</option>
              </select>
            </label>
          )}
          <p className="text-quiet">
            {labels
              ? "To print what has changed since it was sent, show “changed” on the board first. Print at full size, without scaling."
              : "By category, for whoever the board is looked at as, at its moment."}{" "}
            Letters other than Latin, Greek and Cyrillic ones print as a box.
          </p>
        </div>
        <div className="flex min-h-0 min-w-0 flex-1 flex-col">
          {none ? (
            <p role="alert" className="font-medium text-bad">
              {none}
            </p>
          ) : (
            <iframe
              title="As it will be printed"
              className="h-[56vh] w-full border bg-white"
              src={address() + "#navpanes=0&view=FitH"}
            />
          )}
        </div>
      </div>
      <div className="mt-4 flex items-center justify-end gap-2">
        {!none && !labels && (
          <a className={link} href={address({ format: "xlsx" })} download>
            Save as a spreadsheet
          </a>
        )}
        {!none && (
          <a className={`${link} bg-ink text-paper`} href={address()} target="_blank" rel="noreferrer">
            Open to print
          </a>
        )}
        <SheetClose asChild>
          <Button>Close</Button>
        </SheetClose>
      </div>
    </SheetDialog>
  );
}
