import { useCompare, useDrifts, useDriftStep, useLinks, useUnlike } from "../../api/links";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { amount, count, errorText, moment } from "../../lib/format";
import { Button } from "../../ui/button";
import { Empty } from "../../ui/states";

/** Where a channel does not show what it took. */
export function Drifts({ channel, name }: { channel: string; name: string }) {
  const { data: state } = useProgramState();
  const { data } = useDrifts(channel);
  const compare = useCompare(channel);
  const step = useDriftStep(channel);
  const may = useMay("manager");
  const { data: links } = useLinks();
  const kind = links?.find((l) => l.channel === channel)?.kind;
  const tells = kind === undefined || kind === "http";
  const drifts = data?.drifts ?? [];
  const open = drifts.filter((d) => !d.accepted);
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex shrink-0 items-center gap-3 border-b px-5 py-2">
        {tells && (
          <Button disabled={!may || compare.isPending} onClick={() => compare.mutate()}>
            {compare.isPending ? "Reading what it shows …" : "Read what it shows now"}
          </Button>
        )}
        {open.length > 0 && (
          <>
            <Button
              look="ink"
              disabled={!may || step.isPending}
              onClick={() => step.mutate({ what: "again", skus: open.map((d) => d.sku) })}
            >
              Have {count(open.length)} sent again
            </Button>
            <Button
              disabled={!may || step.isPending}
              onClick={() => step.mutate({ what: "accept", skus: open.map((d) => d.sku) })}
            >
              Live with them
            </Button>
          </>
        )}
        {(compare.error ?? step.error) && (
          <span role="alert" className="font-medium text-bad">
            {errorText(compare.error ?? step.error)}
          </span>
        )}
        <span className="ml-auto text-quiet">
          {!tells ? "" : data?.compared ? `read last ${moment(data.compared, state?.now)}` : "never read"}
        </span>
      </div>
      {!tells ? (
        <div className="flex-1">
          <Empty title={`The ${name} does not tell what it shows`}>
            {kind === "feed" ? "It fetches its prices itself" : "It takes files"}, so nothing can be read back from it.
          </Empty>
        </div>
      ) : data && drifts.length === 0 ? (
        <div className="flex-1">
          <Empty title={data.compared ? `The ${name} shows what it took` : "Nobody has looked yet"}>
            {data.compared
              ? "Nothing there was changed by itself."
              : "Reading it finds prices that it changed by itself."}
          </Empty>
        </div>
      ) : (
        <div className="min-h-0 flex-1 overflow-y-auto bg-sheet">
          <table className="w-full">
            <thead className="text-left text-[12px] text-quiet">
              <tr>
                <th className="py-1 pl-5 font-normal">Product</th>
                <th className="w-32 text-right font-normal">took</th>
                <th className="w-32 text-right font-normal">shows</th>
                <th className="w-64 pl-6 font-normal">since</th>
              </tr>
            </thead>
            <tbody>
              {drifts.map((d) => (
                <tr key={d.sku} className="border-t" data-drift={d.sku}>
                  <td className="py-1 pl-5">
                    {d.name || d.sku} <span className="text-quiet">{d.sku}</span>
                  </td>
                  <td className="text-right">{d.took ?? "nothing"}</td>
                  <td className={`text-right font-medium ${d.accepted ? "" : "text-bad"}`}>{d.shows ?? "nothing"}</td>
                  <td className="pl-6">
                    {moment(d.since, state?.now)}
                    {d.accepted && <span className="text-quiet"> · lived with</span>}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <Unlikes channel={channel} name={name} />
    </div>
  );
}

/** Where channels that sell to the same people show other prices. */
function Unlikes({ channel, name }: { channel: string; name: string }) {
  const { data } = useUnlike(channel);
  if (!data || data.total === 0) return null;
  return (
    <details
      aria-label="Other prices elsewhere"
      className="max-h-[45%] shrink-0 overflow-y-auto border-t border-ink/50 bg-sheet"
    >
      <summary className="px-5 py-2">
        {count(data.total)} {data.total === 1 ? "product costs" : "products cost"} the same people something else in
        another channel
      </summary>
      <table className="w-full">
        <thead className="text-left text-[12px] text-quiet">
          <tr>
            <th className="py-1 pl-5 font-normal">Product</th>
            <th className="w-32 text-right font-normal">{name}</th>
            <th className="w-32 text-right font-normal">there</th>
            <th className="w-64 pl-6 font-normal">the other channel</th>
          </tr>
        </thead>
        <tbody>
          {data.unlike.map((u) => (
            <tr key={u.sku + u.other} className="border-t" data-unlike={u.sku}>
              <td className="py-1 pl-5">
                {u.name || u.sku} <span className="text-quiet">{u.sku}</span>
              </td>
              <td className="text-right">{amount(u.shows)}</td>
              <td className="text-right font-medium">{amount(u.theirs)}</td>
              <td className="pl-6">{u.other}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {data.total > data.unlike.length && (
        <p className="px-5 py-1 text-quiet">The first {count(data.unlike.length)} of them.</p>
      )}
    </details>
  );
}
