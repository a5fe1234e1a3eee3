import { useFetches } from "../../api/links";
import { useProgramState } from "../../api/state";
import { moment } from "../../lib/format";

/** When the feeds of a channel were fetched last, and by which key. */
export function Fetched({ channel }: { channel: string }) {
  const { data: state } = useProgramState();
  const { data } = useFetches(channel);
  if (!data) return null;
  return (
    <section aria-label="Feeds" className="mx-auto w-full max-w-[760px] px-5 pb-6">
      <h2 className="font-semibold">Feeds</h2>
      <p className="text-quiet">
        Whoever has a key of the channel fetches what is published at{" "}
        <code>{`${window.location.origin}/feeds/${encodeURIComponent(channel)}.csv`}</code>, or as .jsonl, .jsonld, .xml
        or .xlsx.
      </p>
      {data.length === 0 ? (
        <p className="mt-1">Nobody has fetched one yet.</p>
      ) : (
        <table className="mt-2 w-full">
          <thead className="border-b border-ink/50 text-left text-[12px] text-quiet">
            <tr>
              <th className="py-1 font-normal">Feed</th>
              <th className="font-normal">Key</th>
              <th className="font-normal">fetched last</th>
              <th className="font-normal">changed then</th>
            </tr>
          </thead>
          <tbody>
            {data.map((f) => (
              <tr key={`${f.form} ${f.keyId}`} className="border-b" data-fetched={f.form}>
                <td className="py-1">{f.form}</td>
                <td>{f.keyName}</td>
                <td>{moment(f.at, state?.now)}</td>
                <td>{f.wholeAt ? moment(f.wholeAt, state?.now) : "–"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
