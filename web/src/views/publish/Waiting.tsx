import { useState } from "react";
import type { Publication } from "../../api/client";
import { usePublicationStep } from "../../api/publications";
import { useMay, useSession } from "../../api/session";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { lineCounts } from "./words";
import { Worth } from "./Worth";

/** A publication that waits for a second person, with what that person may do. */
export function Waiting({ publication: p, onLook }: { publication: Publication; onLook: () => void }) {
  const step = usePublicationStep();
  const may = useMay("approver");
  const { data: session } = useSession();
  const [reason, setReason] = useState("");
  const own = session?.name === p.who;
  return (
    <section
      aria-label="Waits for a second person"
      className="flex shrink-0 flex-wrap items-center gap-3 border-b bg-wash px-5 py-2"
    >
      <p>
        <span className="font-medium">
          {p.who} wants to send {lineCounts(p)}.
        </span>{" "}
        <button type="button" className="underline underline-offset-2" onClick={onLook}>
          Look at them
        </button>
      </p>
      {p.worth && <Worth worth={p.worth} />}
      {step.error && (
        <span role="alert" className="font-medium text-bad">
          {errorText(step.error)}
        </span>
      )}
      <span className="ml-auto" />
      {!may || own ? (
        <span className="text-quiet">
          {own ? "Somebody else has to decide on it." : "It waits for somebody who may approve it."}
        </span>
      ) : (
        <>
          <input
            className="field w-64"
            aria-label="Why you refuse it"
            placeholder="refuse it, because …"
            maxLength={500}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <Button
            disabled={step.isPending || reason.trim() === ""}
            onClick={() => step.mutate({ what: "refuse", id: p.id, reason })}
          >
            Refuse
          </Button>
          <Button look="ink" disabled={step.isPending} onClick={() => step.mutate({ what: "approve", id: p.id })}>
            Approve and send
          </Button>
        </>
      )}
    </section>
  );
}
