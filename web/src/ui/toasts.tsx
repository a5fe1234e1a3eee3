import { useQueryClient } from "@tanstack/react-query";
import { Toast } from "radix-ui";
import { createContext, useCallback, useContext, useMemo, useState, type ReactNode } from "react";
import { api, take, type Saved } from "../api/client";
import { refresh } from "../api/queries";
import { errorText } from "../lib/format";
import { Button } from "./button";

interface Notice {
  id: number;
  text: string;
  entry?: number;
  bad?: boolean;
}

interface Notices {
  saved: (s: Saved) => void;
  fail: (e: unknown) => void;
}

const Context = createContext<Notices>({ saved: () => undefined, fail: () => undefined });

/** Tells what was saved, with the way back. */
export const useSaved = () => useContext(Context).saved;
/** Tells that something failed where no control could show it. */
export const useFailed = () => useContext(Context).fail;

let next = 1;

export function Toasts({ children }: { children: ReactNode }) {
  const [list, setList] = useState<Notice[]>([]);
  const client = useQueryClient();
  const add = useCallback((n: Omit<Notice, "id">) => setList((old) => [...old.slice(-2), { ...n, id: next++ }]), []);
  const value = useMemo<Notices>(
    () => ({
      saved: (s) => add({ text: s.summary, entry: s.entry }),
      fail: (e) => add({ text: errorText(e), bad: true }),
    }),
    [add],
  );
  const close = (id: number) => setList((old) => old.filter((n) => n.id !== id));
  const undo = async (n: Notice) => {
    close(n.id);
    try {
      const s = await take(api.POST("/api/log/{id}/undo", { params: { path: { id: n.entry ?? 0 } } }));
      add({ text: s.summary });
      await refresh(client);
    } catch (e) {
      add({ text: `Cannot be undone: ${errorText(e)}`, bad: true });
    }
  };
  return (
    <Context.Provider value={value}>
      <Toast.Provider duration={9000} label="Notice">
        {children}
        {list.map((n) => (
          <Toast.Root
            key={n.id}
            onOpenChange={(open) => !open && close(n.id)}
            className={`flex items-center gap-3 rounded-[4px] px-3 py-2 shadow-lg ${n.bad ? "bg-bad text-paper" : "bg-ink text-paper"}`}
          >
            <Toast.Title className="max-w-[52ch]">{n.text}</Toast.Title>
            {n.entry !== undefined && (
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
