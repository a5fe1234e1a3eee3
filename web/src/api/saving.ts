import { useMutation, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useNotices } from "../ui/toasts";
import { Problem, type Saved, type Seen, type State } from "./client";
import { undo } from "./log";

/** Asks everything anew that rests on the book. */
export const refresh = (client: QueryClient) =>
  Promise.all(["book", "state", "publications", "session"].map((key) => client.invalidateQueries({ queryKey: [key] })));

type Write<In, Out extends Saved> = (input: In, seen: Seen) => Promise<Out>;

/** Makes a write; where it would break pinned prices, once more after somebody has seen which. */
async function asking<In, Out extends Saved>(
  ask: ReturnType<typeof useNotices>["ask"],
  write: Write<In, Out>,
  input: In,
): Promise<Out> {
  try {
    return await write(input, {});
  } catch (e) {
    if (e instanceof Problem && e.checks.length > 0 && (await ask(e.checks)))
      return write(input, { "Checks-Seen": true });
    throw e;
  }
}

/**
 * A write: everything that rests on the book is asked anew, and what was saved can be undone from a notice. done is
 * called at once, before anything is asked anew: what was saved is gone from where it was written.
 */
export function useSave<In = void, Out extends Saved = Saved>(
  write: Write<In, Out>,
  done?: (saved: Out, input: In) => void,
) {
  const client = useQueryClient();
  const { tell, ask } = useNotices();
  const publish = (s: Saved) => {
    const state = client.getQueryData<State>(["state"]);
    return s.publish && state?.channels.some((c) => c.linked) ? s.entry : undefined;
  };
  const back = async (entry: number) => {
    const saved = await asking(ask, undo, entry);
    tell({ text: saved.summary, publish: publish(saved) });
    await refresh(client);
  };
  return useMutation({
    mutationFn: (input: In) => asking(ask, write, input),
    onSuccess: async (saved, input) => {
      done?.(saved, input);
      await refresh(client);
      // Told last: whoever reads it and leaves the page finds nothing that still looks unsaved.
      if (saved.entry) tell({ text: saved.summary, undo: () => back(saved.entry), publish: publish(saved) });
    },
  });
}
