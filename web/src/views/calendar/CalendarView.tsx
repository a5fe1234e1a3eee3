import { differenceInMinutes } from "date-fns";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import { useState } from "react";
import { readCalendar } from "../../lib/address";
import type { CalendarBar } from "../../api/client";
import { useAlong, useCalendar } from "../../api/calendar";
import { useEdit } from "../../api/edits";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { useViewpoint } from "../../lib/viewpoint";
import type { Calendar, EditChange, Layer, Rule } from "../../api/client";
import { count, day, through, wall } from "../../lib/format";
import { useKeys } from "../../lib/keys";
import { layerColour, layerNames } from "../../lib/layers";
import { Button } from "../../ui/button";
import { LayerMark } from "../../ui/layer-mark";
import { Failed } from "../../ui/states";
import { Bar, type Ends } from "./Bar";
import { ChosenWindow, keepButton, type AlongRule } from "./ChosenWindow";
import { CourseChart } from "./CourseChart";
import { LaterFigures, LaterMarks } from "./LaterFigures";
import { firstDifference, scaleOf, spanAround, stepped, ticks, zooms, type Scale, type Zoom } from "./scale";

interface Chosen {
  campaign: boolean;
  code: string;
}

/** When prices change: every window as a bar in its layer's lane, moved by hand with the effect seen first. */
export function CalendarView() {
  const { viewpoint, params, set } = useViewpoint();
  const { data: state } = useProgramState();
  const now = state?.now ?? "";
  const { zoom, around } = readCalendar(params);
  const middle = around || now;
  const { from, to } = middle ? spanAround(zoom, middle) : { from: "", to: "" };
  if (!now) return null;
  return (
    <Spread
      key="calendar"
      scale={scaleOf(from, to, zoom)}
      now={now}
      viewpoint={viewpoint}
      onZoom={(z) => set({ zoom: z === "month" ? null : z })}
      onAround={(at) => set({ around: at })}
      middle={middle}
    />
  );
}

interface SpreadProps {
  scale: Scale;
  now: string;
  viewpoint: ReturnType<typeof useViewpoint>["viewpoint"];
  middle: string;
  onZoom: (z: Zoom) => void;
  onAround: (at: string | null) => void;
}

function Spread({ scale, now, viewpoint, middle, onZoom, onAround }: SpreadProps) {
  const { data, error, refetch } = useCalendar(scale.from, scale.to);
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const [draft, setDraft] = useState<Ends | null>(null);
  const [later, setLater] = useState(""); // the moment whose figures are looked through
  const { data: state } = useProgramState();
  const may = useMay("manager");
  const edit = useEdit();
  const index = zooms.indexOf(scale.zoom);
  const zoomTo = (z: Zoom | undefined) => z && onZoom(z);
  useKeys({
    "+": () => zoomTo(zooms[index - 1]),
    "-": () => zoomTo(zooms[index + 1]),
    "[": () => onAround(stepped(scale.zoom, middle, -1)),
    "]": () => onAround(stepped(scale.zoom, middle, 1)),
    "0": () => onAround(null),
    escape: () => setDraft(null),
  });
  const bar = chosen && (chosen.campaign ? data?.campaigns : data?.bars)?.find((b) => b.code === chosen.code);
  const whole = bar && draft && movedWhole(bar, draft);
  const { data: following } = useAlong(chosen?.campaign && whole ? chosen.code : "", draft?.from ?? "");
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  const window = (bar?.doc as { window?: Rule["window"] } | undefined)?.window ?? {};
  const changed =
    bar && draft && (draft.from !== (bar.from ?? "") || draft.to !== (bar.to ?? ""))
      ? moved(bar, chosen.campaign, draft)
      : null;
  const along = changed && chosen?.campaign && whole ? (following?.rules ?? []) : [];
  const at = bar && draft ? firstDifference(window, { from: bar.from ?? "", to: bar.to ?? "" }, draft, now) : "";
  const choose = (c: Chosen) => {
    if (c.code !== chosen?.code || c.campaign !== chosen.campaign) {
      setDraft(null);
      edit.reset();
    }
    setChosen(c);
  };
  const keep = (taking: AlongRule[]) => {
    if (bar && changed && draft)
      edit.mutate(
        {
          changes: [
            changed,
            ...taking.map((r) => ({ kind: "rules" as const, code: r.code, etag: r.etag, doc: r.doc })),
          ],
          summary: `Moved “${bar.name}”${taking.length > 0 ? " with its rules" : ""}: ${draft.from ? `from ${day(draft.from, now)}` : ""} ${draft.to ? `through ${through(draft.to, now)}` : "without end"}`,
        },
        { onSuccess: () => setDraft(null) },
      );
  };
  const lane = (bars: CalendarBar[], campaign: boolean, colour: string) =>
    bars.map((b) => {
      const on = chosen?.code === b.code && chosen.campaign === campaign;
      return (
        <div key={b.code} className="flex">
          <button
            type="button"
            className={`w-[214px] shrink-0 truncate pr-2 pl-7 text-left text-[13px] leading-[24px] ${on ? "font-semibold" : ""} ${b.status === "on" ? "" : "text-quiet"}`}
            title={b.name}
            onClick={() => choose({ campaign, code: b.code })}
          >
            {b.name}
            {b.status !== "on" && ` · ${b.status}`}
          </button>
          <div className="min-w-0 flex-1">
            <Bar
              bar={b}
              scale={scale}
              colour={colour}
              now={now}
              conflicts={campaign ? [] : data.conflicts.filter((f) => f.a === b.code || f.b === b.code)}
              draft={on ? draft : null}
              chosen={on}
              may={may}
              onChoose={() => choose({ campaign, code: b.code })}
              onDraft={setDraft}
              onKeep={() => (along.length > 0 ? document.getElementById(keepButton)?.focus() : keep([]))}
              onLeave={() => setDraft(null)}
            />
          </div>
        </div>
      );
    });
  // What is on shows only where it is open; what is off or a draft, where it would be.
  const visible = (b: CalendarBar) => b.spans.length > 0 || (chosen?.code === b.code && draft !== null);
  const shown = data.bars.filter(visible);
  const layers = (state?.layers ?? []).map((l) => l.layer);
  return (
    <div className="flex h-full">
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="flex shrink-0 items-center gap-3 border-b px-4 py-1.5">
          <Button look="bare" aria-label="Earlier" onClick={() => onAround(stepped(scale.zoom, middle, -1))}>
            <ChevronLeft size={16} aria-hidden />
          </Button>
          <Button look="bare" aria-label="Later" onClick={() => onAround(stepped(scale.zoom, middle, 1))}>
            <ChevronRight size={16} aria-hidden />
          </Button>
          <Button onClick={() => onAround(null)}>Today</Button>
          <h1 className="text-[16px]" data-testid="calendar-span">
            {day(scale.from, now)} to {through(scale.to, now)}
          </h1>
          <ToggleGroup.Root
            type="single"
            aria-label="How long a span"
            className="ml-auto flex"
            value={scale.zoom}
            onValueChange={(z) => {
              zoomTo(zooms.find((known) => known === z));
            }}
          >
            {zooms.map((z) => (
              <ToggleGroup.Item
                key={z}
                value={z}
                className="px-2.5 py-0.5 hover:bg-wash data-[state=on]:bg-ink data-[state=on]:text-paper"
              >
                {z.charAt(0).toUpperCase() + z.slice(1)}
              </ToggleGroup.Item>
            ))}
          </ToggleGroup.Root>
        </div>
        <Axis scale={scale} now={now} />
        <div className="relative min-h-0 flex-1 overflow-y-auto [scrollbar-gutter:stable]" data-testid="lanes">
          <div className="relative min-h-full pb-4">
            <Grid scale={scale} now={now} />
            <LaterMarks at={scale.at} now={now} chosen={later} onOpen={setLater} />
            {data.campaigns.length > 0 && (
              <>
                <LaneHead>
                  <span className="inline-block h-[9px] w-[11px] rounded-[1px] bg-ink" /> Campaigns
                </LaneHead>
                {lane(data.campaigns.filter(visible), true, "var(--quiet)")}
              </>
            )}
            {layers.map((l) => {
              const bars = shown.filter((b) => b.layer === l);
              return (
                <div key={l}>
                  <LaneHead>
                    <LayerMark layer={l} /> {layerNames[l]}
                    {bars.length === 0 && <span className="ml-1 font-normal text-quiet">nothing in this span</span>}
                  </LaneHead>
                  {lane(bars, false, layerColour[l])}
                </div>
              );
            })}
            <p className="px-3 pt-3 text-[13px] text-quiet">
              {count(data.always)} rules are on without a window and not drawn here.
            </p>
          </div>
        </div>
        <CourseChart viewpoint={viewpoint} scale={scale} now={now} />
      </div>
      <aside
        aria-label="Window and week"
        className="w-[300px] shrink-0 overflow-y-auto border-l bg-sheet px-4 py-3 max-[1100px]:w-[250px]"
      >
        {bar ? (
          <ChosenWindow
            key={bar.code}
            bar={bar}
            campaign={chosen.campaign}
            draft={draft}
            changed={changed}
            at={at}
            now={now}
            may={may}
            conflicts={data.conflicts.filter((f) => !chosen.campaign && (f.a === bar.code || f.b === bar.code))}
            name={(code) => data.bars.find((b) => b.code === code)?.name ?? code}
            edit={edit}
            along={along}
            onKeep={keep}
            onLeave={() => (setDraft(null), edit.reset())}
          />
        ) : (
          <p className="text-quiet">Choose a bar to see its window; drag it or its ends to move it.</p>
        )}
        <Week data={data} now={now} onChoose={choose} onAround={onAround} />
        <LaterFigures open={later} now={now} may={may} onOpen={setLater} />
      </aside>
    </div>
  );
}

/** The change that moves a window's ends. */
/** Whether a window was moved as it is, not made longer or shorter. */
const movedWhole = (bar: CalendarBar, ends: Ends) =>
  (bar.from ?? "") !== "" &&
  ends.from !== "" &&
  (!bar.to ||
    differenceInMinutes(wall(ends.to), wall(bar.to)) === differenceInMinutes(wall(ends.from), wall(bar.from ?? "")));

function moved(bar: CalendarBar, campaign: boolean, ends: Ends): EditChange {
  const doc = bar.doc as Record<string, unknown> & { window?: Record<string, unknown> };
  const window = Object.fromEntries(Object.entries({ ...doc.window, ...ends }).filter(([, v]) => v !== ""));
  return { kind: campaign ? "campaigns" : "rules", code: bar.code, etag: bar.etag, doc: { ...doc, window } };
}

const LaneHead = ({ children }: { children: React.ReactNode }) => (
  <h2 className="mt-1.5 flex items-center gap-1.5 border-t px-3 pt-1 text-[13px]">{children}</h2>
);

function Axis({ scale, now }: { scale: Scale; now: string }) {
  return (
    <div
      className="flex h-10 shrink-0 overflow-hidden border-b border-ink/40 text-[12px] [scrollbar-gutter:stable]"
      aria-hidden
    >
      <div className="w-[214px] shrink-0" />
      <div className="@container relative min-w-0 flex-1 overflow-hidden">
        {ticks(scale).map((t) => (
          <span
            key={t.at}
            className={`absolute bottom-0 border-l pl-1 leading-[18px] whitespace-nowrap ${t.above ? "border-ink/40" : ""}`}
            style={{ left: `${scale.at(t.at) * 100}%` }}
          >
            {t.above && <b className="block font-semibold">{t.above}</b>}
            <span className={`text-quiet ${scale.zoom === "month" && !t.above ? "@max-[600px]:hidden" : ""}`}>
              {t.label}
            </span>
          </span>
        ))}
        {now > scale.from && now < scale.to && (
          <span
            className="absolute bottom-0 h-1.5 w-1.5 -translate-x-1/2 rounded-full bg-bad"
            style={{ left: `${scale.at(now) * 100}%` }}
          />
        )}
      </div>
    </div>
  );
}

const Grid = ({ scale, now }: { scale: Scale; now: string }) => (
  <div className="pointer-events-none absolute inset-y-0 right-0 left-[214px]" aria-hidden>
    {ticks(scale).map((t) => (
      <span
        key={t.at}
        className={`absolute inset-y-0 border-l ${t.above ? "border-ink/25" : "border-line/60"}`}
        style={{ left: `${scale.at(t.at) * 100}%` }}
      />
    ))}
    {now > scale.from && now < scale.to && (
      <span className="absolute inset-y-0 w-px bg-bad" style={{ left: `${scale.at(now) * 100}%` }} />
    )}
  </div>
);

/** What starts and ends in the seven days from now. */
function Week({
  data,
  now,
  onChoose,
  onAround,
}: {
  data: Calendar;
  now: string;
  onChoose: (c: Chosen) => void;
  onAround: (at: string) => void;
}) {
  return (
    <section aria-label="What starts and ends this week" className="pt-3">
      <h2 className="text-[15px]">What starts and ends this week</h2>
      {data.week.length === 0 && (
        <p className="mt-1 text-quiet">Nothing until {day(now.slice(0, 10) + "T00:00", now)} next week.</p>
      )}
      <ul className="mt-1">
        {data.week.slice(0, 40).map((e, i) => (
          <li key={i}>
            {e.at.slice(0, 10) !== data.week[i - 1]?.at.slice(0, 10) && (
              <p className="mt-1.5 text-[12px] font-semibold text-quiet">{day(e.at.slice(0, 10) + "T00:00", now)}</p>
            )}
            <button
              type="button"
              className="flex w-full items-baseline gap-2 rounded-[3px] py-0.5 text-left hover:bg-wash"
              onClick={() => {
                onChoose({ campaign: e.campaign, code: e.code });
                onAround(e.at);
              }}
            >
              <span className="w-10 shrink-0 text-[13px] text-quiet">{e.at.slice(11, 16)}</span>
              <span className={`w-12 shrink-0 text-[13px] ${e.what === "starts" ? "text-good" : "text-bad"}`}>
                {e.what}
              </span>
              <span className="self-center">
                {e.layer ? (
                  <LayerMark layer={e.layer as Layer} />
                ) : (
                  <span className="inline-block h-[9px] w-[11px] rounded-[1px] bg-ink" />
                )}
              </span>
              <span className="min-w-0 flex-1 truncate">{e.name}</span>
              {e.reach > 0 && <span className="text-[12px] text-quiet">{count(e.reach)}</span>}
            </button>
          </li>
        ))}
      </ul>
      {data.week.length > 40 && <p className="text-quiet">and {count(data.week.length - 40)} more</p>}
    </section>
  );
}
