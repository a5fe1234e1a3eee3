import type { ReactNode } from "react";
import { Button } from "./button";

interface ConflictProps {
  /** What is written, in a word: "rule". */
  one: string;
  theirs: ReactNode;
  yours: ReactNode;
  deleted: boolean;
  onTake: () => void;
  onKeep: () => void;
}

/** Two people wrote the same thing: both states, and what becomes of them. */
export function ConflictNote({ one, theirs, yours, deleted, onTake, onKeep }: ConflictProps) {
  return (
    <div role="alert" className="mt-3 rounded-[4px] border-2 border-bad bg-badwash px-3 py-2">
      <p className="font-semibold">
        {deleted
          ? `Somebody deleted this ${one} while you were writing.`
          : `Somebody saved another state of this ${one} while you were writing.`}
      </p>
      {!deleted && <p className="mt-1 break-words">Theirs: {theirs}</p>}
      <p className="break-words">Yours: {yours}</p>
      <div className="mt-2 flex gap-2">
        <Button onClick={onTake}>{deleted ? "Leave it deleted" : "Take theirs"}</Button>
        {!deleted && <Button onClick={onKeep}>Keep mine, then save</Button>}
      </div>
    </div>
  );
}

/** What was left unsaved is as it was left. */
export function FoundNote({ onRestart }: { onRestart: () => void }) {
  return (
    <p role="status" className="mt-2 text-quiet">
      You left this unsaved; it is as you left it.{" "}
      <button type="button" className="underline underline-offset-2" onClick={onRestart}>
        Start from what is saved
      </button>
    </p>
  );
}
