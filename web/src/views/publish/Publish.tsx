import { useDrifts, useDue, useLinks } from "../../api/links";
import { stateWords } from "../../lib/publications";
import { differenceWords } from "./words";
import { useState } from "react";
import { Link } from "react-router";
import { useDifferences, usePublications } from "../../api/publications";
import { useProgramState } from "../../api/state";
import { useViewpoint } from "../../lib/viewpoint";
import { count, moment } from "../../lib/format";
import { Empty } from "../../ui/states";
import { listed } from "./choice";
import { ChannelSheet } from "./ChannelSheet";
import { OnePrice } from "./OnePrice";

/** One column per channel: what it shows since when, what would change, what blocks. Below, the channel opened. */
export function Publish() {
  const { data: state } = useProgramState();
  const { params, set } = useViewpoint();
  const [picked, setPicked] = useState("");
  if (!state) return null;
  if (state.channels.length === 0)
    return <Empty title="The book has no channels">Prices are published to channels.</Empty>;
  if (params.get("view") === "prices") return <OnePrice />;
  const open = picked || params.get("channel") || state.channels[0]?.code || "";
  return (
    <div className="flex h-full flex-col">
      <div className="@container shrink-0 border-b">
        <div className="flex gap-4 overflow-x-auto px-5 py-3 @max-[1000px]:gap-2">
          {state.channels.map((c) => (
            <Column
              key={c.code}
              code={c.code}
              name={c.name}
              open={c.code === open}
              onOpen={() => {
                setPicked(c.code);
                set({ channel: c.code });
              }}
            />
          ))}
          <p className="max-w-[30ch] self-center text-quiet">
            <span className="@max-[1000px]:hidden">
              Saved changes reach customers only when they are sent here. What begins or ends by itself is sent on its
              minute where a channel is told so.{" "}
            </span>
            <button
              type="button"
              className="text-ink underline underline-offset-2"
              onClick={() => set({ view: "prices", q: null, category: null, only: null })}
            >
              Each price in every channel
            </button>
          </p>
        </div>
      </div>
      <div className="min-h-0 flex-1">
        <ChannelSheet key={open} channel={open} />
      </div>
    </div>
  );
}

function Column({ code, name, open, onOpen }: { code: string; name: string; open: boolean; onOpen: () => void }) {
  const { data: state } = useProgramState();
  const { data } = useDifferences(code);
  const { data: past } = usePublications(code);
  const last = past?.publications[0];
  const { data: links } = useLinks();
  const itself = links?.find((l) => l.channel === code)?.sends === "on-the-minute";
  const { data: due } = useDue(code, itself);
  const next = itself ? due?.[0] : undefined;
  const { data: drifts } = useDrifts(code);
  const drifting = drifts?.drifts.filter((d) => !d.accepted).length ?? 0;
  const blocked = data?.blocked ?? 0;
  return (
    <section
      aria-label={name}
      className={`w-[300px] min-w-[118px] rounded-[4px] border px-3.5 py-2 @max-[1000px]:px-2.5 ${open ? "border-2 border-ink bg-sheet" : "border-ink/30"}`}
    >
      <button type="button" className="flex w-full items-baseline text-left" aria-pressed={open} onClick={onOpen}>
        <span className="text-[16px] font-semibold">{name}</span>{" "}
        <span className="ml-auto text-[20px] font-semibold" data-testid={`behind-${code}`}>
          {data ? count(data.total) : "…"}
        </span>
      </button>
      <p>
        {data?.total === 0
          ? data.pieces.length === 0
            ? "shows the saved prices"
            : `no price now, ${count(listed(data.pieces).length)} ${listed(data.pieces).length === 1 ? "change" : "changes"}`
          : data?.kinds.map((k) => `${count(k.count)} ${differenceWords[k.kind] ?? k.kind}`).join(", ")}
        {blocked > 0 && <span className="font-medium text-bad"> · {count(blocked)} blocked</span>}
        {data !== undefined && data.held > 0 && <span> · {count(data.held)} held back</span>}
      </p>
      {next && (
        <p>
          by itself {moment(next.at, state?.now)}: {count(next.lines)}
        </p>
      )}
      {drifting > 0 && <p className="font-medium text-bad">shows {count(drifting)} otherwise than it took</p>}
      <p className="text-quiet">
        {last
          ? last.ended
            ? `last sent ${moment(last.ended, state?.now)}`
            : stateWords[last.state]
          : "nothing sent yet"}
        {data?.page && (
          <>
            {" · "}
            <Link to={data.page} target="_blank" rel="noreferrer" className="underline underline-offset-2">
              its page
            </Link>
          </>
        )}
      </p>
    </section>
  );
}
