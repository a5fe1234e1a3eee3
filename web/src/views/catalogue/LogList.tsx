import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { entryQuery, logQuery, undo } from "../../api/log";
import { useSave } from "../../api/saving";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { count, moment } from "../../lib/format";
import { useOneTabStop } from "../../ui/one-stop";
import { Button } from "../../ui/button";
import { useFailed } from "../../ui/toasts";

/** Who changed what, newest first; a change can be taken back as long as nothing newer stands on it. */
export function LogList() {
  const { data } = useQuery(logQuery);
  const { data: state } = useProgramState();
  const fail = useFailed();
  const may = useMay("manager");
  const [open, setOpen] = useState(0);
  const back = useSave(undo);
  const list = useRef<HTMLUListElement>(null);
  useOneTabStop(list, "li");
  return (
    <div className="h-full overflow-y-auto">
      <ul ref={list} className="mx-auto max-w-[980px] px-5 py-2">
        {data?.entries.map((e) => (
          <li key={e.id} className="border-b py-1.5">
            <div className="flex items-center gap-4">
              <span className="w-36 shrink-0 text-quiet">{moment(e.at, state?.now)}</span>
              <button
                type="button"
                aria-expanded={open === e.id}
                className={`min-w-0 flex-1 text-left underline-offset-2 hover:underline ${e.undone ? "text-quiet line-through" : ""}`}
                onClick={() => setOpen(open === e.id ? 0 : e.id)}
              >
                {e.summary}
              </button>
              <span className="w-32 text-right text-quiet">
                {e.moved !== null && (e.moved === 0 ? "moved no price" : `moved ${count(e.moved)} prices`)}
              </span>
              <span className="w-36 text-right text-quiet">
                {e.who} · book {e.version}
              </span>
              <span className="w-24 text-right">
                {e.canUndo && may && (
                  <Button aria-label={`Undo: ${e.summary}`} onClick={() => back.mutate(e.id, { onError: fail })}>
                    Undo
                  </Button>
                )}
                {e.undone && <span className="text-quiet">undone</span>}
              </span>
            </div>
            {open === e.id && <Detail id={e.id} />}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** The pieces that a change wrote, before and after. */
function Detail({ id }: { id: number }) {
  const { data } = useQuery(entryQuery(id));
  if (!data) return null;
  if (data.count === 0) return <p className="mt-1 text-quiet">The book was set up.</p>;
  return (
    <table className="mt-1 mb-2 w-full table-fixed text-[12px]">
      <tbody>
        {data.changes.slice(0, 40).map((c) => (
          <tr key={c.kind + c.code} className="border-t align-top">
            <td className="w-44 py-1 pr-2">
              <span className="text-quiet">{c.kind}</span> {c.code}
            </td>
            <td className="pr-3 break-words text-quiet">{c.before || "was new"}</td>
            <td className="break-words">{c.after || "deleted"}</td>
          </tr>
        ))}
        {data.count > 40 && (
          <tr>
            <td colSpan={3} className="py-1 text-quiet">
              and {count(data.count - 40)} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
