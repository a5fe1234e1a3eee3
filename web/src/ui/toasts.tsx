import { Toast } from "radix-ui";
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import type { BrokenCheck } from "../api/client";
import { errorText } from "../lib/format";
import { Button } from "./button";
import { rememberFocus } from "./focus";
import { Confirm } from "./confirm";
import { BrokenChecks } from "./broken-checks";

interface Notice {
  id: number;
  text: string;
  /** The way back. */
  undo?: () => Promise<unknown>;
  /** The edit that can be sent to channels from here. */
  publish?: number | undefined;
  bad?: boolean;
}

/** What is sent to every channel: what one edit changed, or a piece of the book by its name. */
export type Spread = { entry: number } | { piece: string };

interface Notices {
  /** Tells what was done, with the way back where there is one. */
  tell: (n: Pick<Notice, "text" | "undo" | "publish">) => void;
  fail: (e: unknown) => void;
  /** What somebody wants to see as it would go to every channel that it concerns. */
  spread: Spread | null;
  setSpread: (what: Spread | null) => void;
  /** Shows which pinned prices a write would break, and asks whether it is to be made all the same. */
  ask: (checks: BrokenCheck[]) => Promise<boolean>;
}

const Context = createContext<Notices>({
  tell: () => undefined,
  fail: () => undefined,
  spread: null,
  setSpread: () => undefined,
  ask: () => Promise.resolve(false),
});

export const useNotices = () => useContext(Context);
/** Tells that something failed where no control could show it. */
export const useFailed = () => useNotices().fail;

let next = 1;

export function Toasts({ children }: { children: ReactNode }) {
  const [list, setList] = useState<Notice[]>([]);
  const [asked, setAsked] = useState<{ checks: BrokenCheck[]; answer: (yes: boolean) => void } | null>(null);
  const [spread, setSpread] = useState<Spread | null>(null);
  const add = useCallback((n: Omit<Notice, "id">) => setList((old) => [...old.slice(-2), { ...n, id: next++ }]), []);
  const value = useMemo<Notices>(
    () => ({
      tell: (n) => {
        add(n);
      },
      fail: (e) => {
        add({ text: errorText(e), bad: true });
      },
      spread,
      setSpread,
      ask: (checks) => new Promise((answer) => setAsked({ checks, answer })),
    }),
    [add, spread],
  );
  const close = (id: number) => setList((old) => old.filter((n) => n.id !== id));
  // What had the focus before a notice took it has it again when the notice goes.
  const before = useRef<Element | null>(null);
  const undo = async (n: Notice) => {
    const refocus = rememberFocus(before.current);
    close(n.id);
    try {
      await n.undo?.();
    } catch (e) {
      add({ text: `Cannot be undone: ${errorText(e)}`, bad: true });
    }
    refocus();
  };
  return (
    <Context.Provider value={value}>
      <Toast.Provider duration={9000} label="Notice">
        {children}
        {asked && (
          <Confirm
            title="Nothing is saved yet"
            yes="Save it all the same"
            no="Leave it as it was"
            onAnswer={(yes) => (asked.answer(yes), setAsked(null))}
          >
            Somebody pinned what would be otherwise afterwards.
            <div className="text-ink">
              <BrokenChecks checks={asked.checks} />
            </div>
          </Confirm>
        )}
        {list.map((n) => (
          <Toast.Root
            key={n.id}
            onOpenChange={(open) => !open && close(n.id)}
            onFocusCapture={(e) => {
              if (e.relatedTarget instanceof Element && !e.currentTarget.contains(e.relatedTarget))
                before.current = e.relatedTarget;
            }}
            className={`flex items-center gap-3 rounded-[4px] px-3 py-2 shadow-lg ${n.bad ? "bg-bad text-paper" : "bg-ink text-paper"}`}
          >
            <Toast.Title className="max-w-[52ch]">{n.text}</Toast.Title>
            {n.undo && (
              <Toast.Action altText="Undo in the log of the Catalogue view" asChild>
                <button className="font-semibold underline underline-offset-2" onClick={() => void undo(n)}>
                  Undo
                </button>
              </Toast.Action>
            )}
            {n.publish !== undefined && (
              <Toast.Action altText="Send it from the Publish view" asChild>
                <button
                  className="font-semibold whitespace-nowrap underline underline-offset-2"
                  onClick={() => {
                    setSpread({ entry: n.publish ?? 0 });
                    close(n.id);
                  }}
                >
                  Send everywhere …
                </button>
              </Toast.Action>
            )}
            <Toast.Close asChild>
              <Button look="bare" aria-label="Close this notice" className="min-h-0 px-1 text-paper/80">
                ×
              </Button>
            </Toast.Close>
          </Toast.Root>
        ))}
        <Toast.Viewport data-notices className="fixed bottom-14 left-4 z-50 flex flex-col gap-2 outline-none" />
      </Toast.Provider>
    </Context.Provider>
  );
}
