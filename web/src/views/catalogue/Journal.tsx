import { useQuery } from "@tanstack/react-query";
import { journalQuery } from "../../api/people";
import { useProgramState } from "../../api/state";
import { moment } from "../../lib/format";

const words: Record<string, string> = {
  "signed-in": "signed in",
  "signed-out": "signed out",
  refused: "was refused: name and password do not belong together",
  "person-added": "added a person",
  "person-changed": "changed a person",
  "password-changed": "set a password",
  "check-pinned": "pinned a price or a basket",
  "key-made": "made a key",
  "key-revoked": "revoked a key",
  "channel-linked": "connected a channel",
  "channel-unlinked": "disconnected a channel",
  "codes-added": "added codes",
  "codes-dropped": "dropped codes",
  "check-changed": "changed a pinned price",
  "check-dropped": "let a pinned price go",
  "flag-acknowledged": "lives with a flag",
  "flag-brought-back": "brought a flag back",
  "demo-ended": "ended the demo",
};

/** What happened beside the book: who came in, who was refused, what became of people and pinned prices. */
export function Journal() {
  const { data } = useQuery(journalQuery);
  const { data: state } = useProgramState();
  if (!data) return null;
  return (
    <section aria-label="Who came in, and what was changed beside the book" className="mt-8">
      <h2 className="border-b pb-1">Who came in, and what was changed beside the book</h2>
      <table className="w-full table-fixed">
        <tbody>
          {data.events.map((e) => (
            <tr key={e.id} className={`border-b ${e.what === "refused" ? "text-bad" : ""}`}>
              <td className="w-40 py-1 text-quiet">{moment(e.at, state?.now)}</td>
              <td className="w-44 truncate pr-3 font-medium">{e.who}</td>
              <td className="w-72 pr-3">{words[e.what] ?? e.what}</td>
              <td className="truncate text-quiet">{e.detail}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
