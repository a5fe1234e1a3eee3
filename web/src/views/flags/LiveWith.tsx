import { addDays, format } from "date-fns";
import { useState } from "react";
import { Problem, type Schema } from "../../api/client";
import { useAcknowledge } from "../../api/flags";
import { useProgramState } from "../../api/state";
import { errorText, wall } from "../../lib/format";
import { Blank } from "../../ui/blanks";
import { Button } from "../../ui/button";
import { DayBlank } from "../../ui/time-blanks";
import { FieldError } from "../../ui/states";
import { useFailed } from "../../ui/toasts";

/** Somebody lives with a flag, or with all of one cause, for a reason and until a day, after which they return. */
export function LiveWith({
  what,
  onDone,
}: {
  what: { subject: string } | { all: Schema["FlagsSeen"] };
  onDone: () => void;
}) {
  const { data: state } = useProgramState();
  const now = state?.now ?? "";
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState(() => format(addDays(wall(now), 30), "yyyy-MM-dd"));
  const acknowledge = useAcknowledge();
  const details = acknowledge.error instanceof Problem ? acknowledge.error.details : [];
  const wrong = (field: string) => details.find((d) => d.location.endsWith(field))?.message;
  return (
    <form
      className="mt-1.5 rounded-[4px] border bg-sheet px-3 py-2"
      data-testid="live-with"
      onSubmit={(e) => {
        e.preventDefault();
        acknowledge.mutate({ ...what, reason, until }, { onSuccess: onDone });
      }}
    >
      <p>
        {"all" in what ? "They may stay because" : "It may stay because"}{" "}
        <Blank
          label="Why it may stay"
          className="w-[26rem] max-w-full"
          maxLength={500}
          bad={wrong("reason") !== undefined}
          value={reason}
          onChange={setReason}
        />
        , until the end of{" "}
        <DayBlank
          label="Until which day"
          bad={wrong("until") !== undefined}
          value={until}
          now={now}
          onChange={setUntil}
        />
        . Then it is shown again.
      </p>
      <FieldError>{wrong("reason") ?? wrong("until")}</FieldError>
      {acknowledge.error && details.length === 0 && <FieldError>{errorText(acknowledge.error)}</FieldError>}
      <p className="mt-1.5">
        <Button type="submit" look="ink" disabled={acknowledge.isPending}>
          {"all" in what ? "Live with all of them" : "Live with it"}
        </Button>
      </p>
    </form>
  );
}

/** Brings a flag back that somebody lives with. */
LiveWith.Back = function Back({ subject }: { subject: string }) {
  const acknowledge = useAcknowledge();
  const fail = useFailed();
  return (
    <Button
      look="bare"
      disabled={acknowledge.isPending}
      onClick={() => acknowledge.mutate({ back: subject }, { onError: fail })}
    >
      Show it again
    </Button>
  );
};
