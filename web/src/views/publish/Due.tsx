import { useDue, useLinks } from "../../api/links";
import { useProgramState } from "../../api/state";
import { count, moment } from "../../lib/format";
import { Empty } from "../../ui/states";

/** What begins or ends by itself in a channel, moment by moment. */
export function Due({ channel, name }: { channel: string; name: string }) {
  const { data: state } = useProgramState();
  const { data } = useDue(channel);
  const { data: links } = useLinks();
  if (!data) return null;
  if (data.length === 0)
    return <Empty title="Nothing changes by itself">In the next three months no rule begins or ends here.</Empty>;
  const itself = links?.find((l) => l.channel === channel)?.sends === "on-the-minute";
  return (
    <div className="mx-auto w-full max-w-[760px] overflow-y-auto px-5 py-3">
      <p className="text-quiet">
        {itself
          ? `The ${name} is told on the minute, as the book was published last.`
          : `The ${name} is told by hand: at these moments it falls behind until somebody sends.`}
      </p>
      <table className="mt-2 w-full">
        <thead className="border-b border-ink/50 text-left text-[12px] text-quiet">
          <tr>
            <th className="py-1 font-normal">When</th>
            <th className="text-right font-normal">prices that change</th>
            <th className="text-right font-normal">of them saved otherwise</th>
          </tr>
        </thead>
        <tbody>
          {data.map((d) => (
            <tr key={d.at} className="border-b" data-due={d.at}>
              <td className="py-1">{moment(d.at, state?.now)}</td>
              <td className="text-right font-medium">{count(d.lines)}</td>
              <td className="text-right text-quiet">{d.unpublished > 0 ? count(d.unpublished) : "–"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
