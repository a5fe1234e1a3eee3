import { AlertDialog, Toast } from "radix-ui";
import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from "react";
import type { BrokenCheck } from "../api/client";
import { errorText } from "../lib/format";
import { Button } from "./button";
import { BrokenChecks } from "./broken-checks";

interface Notice {
  id: number;
  text: string;
  /** The way back. */
  undo?: () => Promise<unknown>;
  bad?: boolean;
}

interface Notices {
  /** Tells what was done, with the way back where there is one. */
  tell: (n: { text: string; undo?: () => Promise<unknown> }) => void;
  fail: (e: unknown) => void;
  /** Shows which pinned prices a write would break, and asks whether it is to be made all the same. */
  ask: (checks: BrokenCheck[]) => Promise<boolean>;
}

const Context = createContext<Notices>({
  tell: () => undefined,
  fail: () => undefined,
  ask: () => Promise.resolve(false),
});

export const useNotices = () => useContext(Context);
/** Tells that something failed where no control could show it. */
export const useFailed = () => useNotices().fail;

let next = 1;

export function Toasts({ children }: { children: ReactNode }) {
  const [list, setList] = useState<Notice[]>([]);
  const [asked, setAsked] = useState<{ checks: BrokenCheck[]; answer: (yes: boolean) => void } | null>(null);
  const add = useCallback((n: Omit<Notice, "id">) => setList((old) => [...old.slice(-2), { ...n, id: next++ }]), []);
  const value = useMemo<Notices>(
    () => ({
      tell: (n) => {
        add(n);
      },
      fail: (e) => {
        add({ text: errorText(e), bad: true });
      },
      ask: (checks) => new Promise((answer) => setAsked({ checks, answer })),
    }),
    [add],
  );
  const close = (id: number) => setList((old) => old.filter((n) => n.id !== id));
  const undo = async (n: Notice) => {
    close(n.id);
    try {
      await n.undo?.();
    } catch (e) {
      add({ text: `Cannot be undone: ${errorText(e)}`, bad: true });
    }
  };
  return (
    <Context.Provider value={value}>
      <Toast.Provider duration={9000} label="Notice">
        {children}
        {asked && (
          <AlertDialog.Root open>
            <AlertDialog.Portal>
              <AlertDialog.Overlay className="fixed inset-0 z-50 bg-black/35" />
              <AlertDialog.Content className="fixed top-[18vh] left-1/2 z-50 w-[560px] max-w-[94vw] -translate-x-1/2 rounded-[5px] border border-ink/40 bg-sheet p-5 shadow-2xl">
                <AlertDialog.Title className="text-[17px]">Nothing is saved yet</AlertDialog.Title>
                <AlertDialog.Description className="text-quiet">
                  Somebody pinned what would be otherwise afterwards.
                </AlertDialog.Description>
                <BrokenChecks checks={asked.checks} />
                <div className="mt-4 flex gap-2">
                  <AlertDialog.Cancel asChild>
                    <Button look="ink" onClick={() => (asked.answer(false), setAsked(null))}>
                      Leave it as it was
                    </Button>
                  </AlertDialog.Cancel>
                  <AlertDialog.Action asChild>
                    <Button look="danger" onClick={() => (asked.answer(true), setAsked(null))}>
                      Save it all the same
                    </Button>
                  </AlertDialog.Action>
                </div>
              </AlertDialog.Content>
            </AlertDialog.Portal>
          </AlertDialog.Root>
        )}
        {list.map((n) => (
          <Toast.Root
            key={n.id}
            onOpenChange={(open) => !open && close(n.id)}
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
            <Toast.Close asChild>
              <Button look="bare" aria-label="Close this notice" className="min-h-0 px-1 text-paper/80">
                ×
              </Button>
            </Toast.Close>
          </Toast.Root>
        ))}
        <Toast.Viewport className="fixed bottom-4 left-4 z-50 flex flex-col gap-2 outline-none" />
      </Toast.Provider>
    </Context.Provider>
  );
}
