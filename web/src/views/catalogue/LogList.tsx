import { api, take } from "../../api/client";
import { useLog, useProgramState, useSave } from "../../api/queries";
import { moment } from "../../lib/format";
import { Button } from "../../ui/button";
import { useFailed } from "../../ui/toasts";

/** Who changed what, newest first; a change can be taken back as long as nothing newer stands on it. */
export function LogList() {
  const { data } = useLog();
  const { data: state } = useProgramState();
  const fail = useFailed();
  const undo = useSave((id: number) => take(api.POST("/api/log/{id}/undo", { params: { path: { id } } })));
  return (
    <div className="h-full overflow-y-auto">
      <ul className="mx-auto max-w-[980px] px-5 py-2">
        {data?.entries.map((e) => (
          <li key={e.id} className="flex items-center gap-4 border-b py-1.5">
            <span className="w-36 shrink-0 text-quiet">{moment(e.at, state?.now)}</span>
            <span className={`min-w-0 flex-1 ${e.undone ? "text-quiet line-through" : ""}`}>{e.summary}</span>
            <span className="text-quiet">
              {e.who} · book {e.version}
            </span>
            <span className="w-24 text-right">
              {e.canUndo && (
                <Button aria-label={`Undo: ${e.summary}`} onClick={() => undo.mutate(e.id, { onError: fail })}>
                  Undo
                </Button>
              )}
              {e.undone && <span className="text-quiet">undone</span>}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
