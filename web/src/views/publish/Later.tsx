import type { Schema } from "../../api/client";
import { useProgramState } from "../../api/state";
import { moment } from "../../lib/format";
import { prices } from "./words";

/** What is saved otherwise than published only later, and how it gets to the channel. */
export function Later({ planned, alone }: { planned: Schema["PlannedAnswer"]; alone: boolean }) {
  const { data: state } = useProgramState();
  return (
    <p className="shrink-0 border-b bg-wash px-5 py-1.5" data-testid="planned">
      <span className="font-medium">
        {prices(planned.lines)} {planned.lines === 1 ? "changes" : "change"} later than now
      </span>
      , from {moment(planned.first ?? "", state?.now)} on, otherwise than was published.{" "}
      {alone
        ? "Nothing has to be sent for it yet; publish it, and it is due."
        : "It goes along with what is sent next."}
    </p>
  );
}
