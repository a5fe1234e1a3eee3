import { PanelRight, Search, SunMoon } from "lucide-react";
import { Suspense, useEffect, useRef, useState, useSyncExternalStore } from "react";
import { NavLink, Outlet, useLocation, useNavigate } from "react-router";
import { useMay } from "../api/session";
import type { State } from "../api/client";
import { useProgramState } from "../api/state";
import { carried, newRuleHere } from "../lib/address";
import { useViewpoint } from "../lib/viewpoint";
import { count, moment } from "../lib/format";
import { useKeys } from "../lib/keys";
import { onWriting, writing } from "../lib/writing";
import { Button } from "../ui/button";
import { CrashGuard } from "../ui/crash-guard";
import { SetUp } from "../views/setup/SetUp";
import { TrailPanel } from "../views/trail/TrailPanel";
import { toggleTheme } from "../lib/theme";
import { HelpSheet } from "./HelpSheet";
import { Palette } from "./Palette";
import { PersonMenu } from "./PersonMenu";
import { SpreadDialog } from "./SpreadDialog";
import { ViewpointBar } from "./ViewpointBar";
import { Tip } from "../ui/tip";
import { useNotices } from "../ui/toasts";

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** The frame of every view: header, viewpoint and, at the right edge, the trail of the selected product. */
export function Frame() {
  const { data: state, error } = useProgramState();
  const { params, set } = useViewpoint();
  const { spread, setSpread } = useNotices();
  const [palette, setPalette] = useState(false);
  // Written otherwise, everything is drawn anew; what is being edited is kept as a draft.
  const as = useSyncExternalStore(onWriting, () => JSON.stringify(writing()));
  const [help, setHelp] = useState(false);
  const navigate = useNavigate();
  const at = useLocation().pathname;
  const main = useRef<HTMLElement>(null);
  const behind = state?.channels.reduce((n, c) => n + c.behind, 0) ?? 0;
  const flags = state ? state.flags.errors + state.flags.others : 0;
  const views = [
    { to: "/board", name: "Board", n: state?.products },
    { to: "/stack", name: "Stack" },
    { to: "/calendar", name: "Calendar" },
    { to: "/basket", name: "Basket" },
    { to: "/flags", name: "Flags", n: flags, bad: (state?.flags.errors ?? 0) > 0 },
    { to: "/publish", name: "Publish", n: behind },
    { to: "/catalogue", name: "Catalogue" },
  ];
  const may = useMay("manager");
  const newRule = newRuleHere(params);
  const open = params.get("trail") === "open";
  const panel = () => set({ trail: open ? null : "open" });
  useKeys({
    "ctrl+k": () => setPalette(true),
    t: panel,
    n: () => may && void navigate(newRule),
    "?": () => setHelp(true),
    ...Object.fromEntries(views.map((v, i) => [String(i + 1), () => void navigate(v.to + carried(params))])),
  });
  useEffect(() => {
    const name = views.find((v) => at.startsWith(v.to))?.name;
    document.title = name ? `${name} · Dogbane` : "Dogbane";
  });
  const priced = (!at.startsWith("/catalogue") || at.startsWith("/catalogue/product/")) && !at.startsWith("/publish");
  return (
    <div className="flex h-full flex-col">
      <nav aria-label="Skip" className="fixed top-1 left-1 z-50 flex gap-1">
        <SkipTo onGo={() => main.current?.focus()}>To the view</SkipTo>
        {may && <SkipTo onGo={() => void navigate(newRule)}>Write a new rule</SkipTo>}
        {open && (
          <SkipTo onGo={() => document.querySelector<HTMLElement>("[aria-label='Trail']")?.focus()}>
            To the trail
          </SkipTo>
        )}
      </nav>
      <header className="flex min-h-11 shrink-0 flex-wrap items-center gap-x-5 border-b-2 border-ink px-4 max-[1000px]:gap-x-2 max-[1000px]:px-2">
        <NavLink
          to={"/board" + carried(params)}
          className="flex shrink-0 items-center gap-2 text-[16px] font-bold tracking-tight"
        >
          <img src="/mark.svg" width="22" height="22" alt="" />
          <span className="max-[860px]:sr-only">Dogbane</span>
        </NavLink>
        <nav aria-label="Views" className="flex h-[42px] items-stretch gap-0.5">
          {views.map((v) => (
            <NavLink
              key={v.to}
              to={v.to + carried(params)}
              className={({ isActive }) =>
                `flex items-center gap-1.5 px-2.5 font-medium max-[1000px]:px-1.5 ${isActive ? "bg-ink text-paper" : "hover:bg-wash"}`
              }
            >
              {v.name}
              {v.n !== undefined && v.n > 0 && (
                <span className={`text-[12px] ${v.bad ? "rounded-full bg-bad px-1.5 text-paper" : "opacity-70"}`}>
                  {count(v.n)}
                </span>
              )}
            </NavLink>
          ))}
        </nav>
        <div className="ml-auto flex items-center gap-1">
          {state && (
            <CrashGuard at={at} strip="How far the channels are">
              <Behind channels={state.channels} now={state.now} />
            </CrashGuard>
          )}
          <Button onClick={() => setPalette(true)} className="text-quiet">
            <Search size={14} aria-hidden /> <span className="max-[1000px]:sr-only">Find or do</span>{" "}
            <kbd className="text-[11px] max-[1000px]:hidden">Ctrl K</kbd>
          </Button>
          <Tip text="Trail (t)">
            <Button
              look="bare"
              onClick={panel}
              aria-pressed={open}
              aria-label={open ? "Close the trail" : "Open the trail"}
            >
              <PanelRight size={16} aria-hidden />
            </Button>
          </Tip>
          <Tip text="Light or dark">
            <Button look="bare" onClick={toggleTheme} aria-label="Light or dark">
              <SunMoon size={16} aria-hidden />
            </Button>
          </Tip>
          <Tip text="Keys (?)">
            <Button look="bare" onClick={() => setHelp(true)} aria-label="Keys">
              ?
            </Button>
          </Tip>
          <CrashGuard at={at} strip="Who is signed in">
            <PersonMenu />
          </CrashGuard>
        </div>
      </header>
      {error && (
        <div role="alert" className="bg-bad px-4 py-1.5 font-medium text-paper">
          The program does not answer. What you see may be out of date; nothing that you type now can be saved.
        </div>
      )}
      {state?.outage && (
        <div role="alert" className="bg-bad px-4 py-1.5 font-medium text-paper" data-testid="outage">
          {capital(state.outage.reason)}, since {moment(state.outage.since, state.now)}. Prices are shown as they were;
          nothing can be saved until it is back, which is tried all the time.
        </div>
      )}
      {state && state.refused.length > 0 && (
        <div role="alert" className="border-b border-bad bg-badwash px-4 py-1.5" data-testid="refused">
          <b>
            {state.refused.length === 1
              ? "A stored piece cannot be read and takes no part"
              : `${state.refused.length} stored pieces cannot be read and take no part`}
            :
          </b>{" "}
          {state.refused.slice(0, 3).map((r) => (
            <span key={r.kind + r.code} className="mr-3">
              {r.kind} {r.code} ({r.problem})
            </span>
          ))}
        </div>
      )}
      {priced && !state?.setUp && (
        <CrashGuard at={at + params.toString()} strip="The viewpoint">
          <ViewpointBar key={as} />
        </CrashGuard>
      )}
      <div className="flex min-h-0 flex-1" key={`as ${as}`}>
        <main ref={main} tabIndex={-1} className="min-w-0 flex-1 overflow-hidden outline-none">
          <CrashGuard at={at}>
            <Suspense fallback={null}>{state?.setUp ? <SetUp /> : <Outlet />}</Suspense>
          </CrashGuard>
        </main>
        {open && (
          <CrashGuard at={params.get("sku") ?? ""}>
            <TrailPanel />
          </CrashGuard>
        )}
      </div>
      <CrashGuard at={`${palette} ${help} ${JSON.stringify(spread)}`} strip="What was opened">
        <Palette open={palette} onOpenChange={setPalette} />
        <HelpSheet open={help} onOpenChange={setHelp} />
        {spread && <SpreadDialog key={JSON.stringify(spread)} what={spread} onClose={() => setSpread(null)} />}
      </CrashGuard>
    </div>
  );
}

/** A way past what comes first on every view; seen while it has the focus. */
const SkipTo = ({ onGo, children }: { onGo: () => void; children: string }) => (
  <button
    type="button"
    className="rounded-[3px] bg-ink px-3 py-1.5 font-medium text-paper not-focus:sr-only"
    onClick={onGo}
  >
    {children}
  </button>
);

/** How far the channels are behind the saved book, on every view. */
function Behind({ channels, now }: { channels: State["channels"]; now: string }) {
  const { params } = useViewpoint();
  if (channels.length === 0) return null;
  const late = channels.filter((c) => c.behind > 0 || c.changes > 0);
  const quiet = late.filter((c) => c.behind === 0);
  const behindBy = late.reduce((n, c) => n + c.behind, 0);
  const waiting = channels.filter((c) => c.waiting !== null);
  const first = waiting[0];
  const text = channels.some((c) => c.sending)
    ? "Publishing …"
    : late.length === 0
      ? "All channels show the saved prices"
      : quiet.length === late.length
        ? `${late.length === 1 ? late[0]?.name : `${late.length} channels`}: changes not sent yet`
        : late.length === 1
          ? `${late[0]?.name} is ${count(behindBy)} ${behindBy === 1 ? "price" : "prices"} behind`
          : `${late.length} channels are ${count(behindBy)} prices behind`;
  if (first?.waiting)
    return (
      <NavLink
        to={`/publish?channel=${encodeURIComponent(first.code)}`}
        className="mr-2 hidden font-medium underline-offset-2 hover:underline min-[1100px]:inline"
        data-testid="waiting"
      >
        {waiting.length === 1
          ? `${first.waiting.who} waits for agreement, ${first.name}, since ${moment(first.waiting.since, now)}`
          : `${waiting.length} publications wait for agreement, since ${moment(first.waiting.since, now)}`}
      </NavLink>
    );
  return (
    <NavLink
      to={"/publish" + carried(params)}
      className="mr-2 hidden text-quiet underline-offset-2 hover:underline min-[1100px]:inline"
      data-testid="behind"
    >
      {text}
    </NavLink>
  );
}
