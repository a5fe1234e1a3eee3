import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { makeKey, revokeKey, useChannelKeys } from "../../api/keys";
import { useProgramState } from "../../api/state";
import { count, errorText, moment } from "../../lib/format";
import { joined } from "../../lib/sentence";
import { useViewpoint } from "../../lib/viewpoint";
import { Button } from "../../ui/button";
import { Confirm } from "../../ui/confirm";
import { Empty, FieldError } from "../../ui/states";

const rights = [
  ["feed", "read the channel's feed"],
  ["quote", "ask what a basket costs"],
  ["redeem", "count uses and report orders"],
  ["customers", "ask for customers and groups"],
] as const;

/** The keys by which the programs of a channel ask this one. */
export function KeysPanel() {
  const { data: state } = useProgramState();
  const { params, set } = useViewpoint();
  const channel = params.get("item") ?? state?.channels[0]?.code ?? "";
  const { data } = useChannelKeys(channel);
  const client = useQueryClient();
  const done = () => client.invalidateQueries({ queryKey: ["keys", channel] });
  const [revoking, setRevoking] = useState<number | null>(null);
  const revoke = useMutation({ mutationFn: (id: number) => revokeKey(channel, id), onSuccess: done });
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[980px] px-5 py-3">
        <label>
          Keys of{" "}
          <select
            aria-label="Channel of the keys"
            className="blank"
            value={channel}
            onChange={(e) => set({ item: e.target.value })}
          >
            {state?.channels.map((c) => (
              <option key={c.code} value={c.code}>
                the {c.name}
              </option>
            ))}
          </select>
        </label>
        {channel !== "" && <NewKey key={channel} channel={channel} onDone={done} />}
        {data?.keys.length === 0 ? (
          <Empty title="This channel has no key yet">
            With a key its programs ask what a basket costs, and report what was sold. Each key is shown once.
          </Empty>
        ) : (
          <table className="mt-4 w-full">
            <thead className="border-b-2 border-ink text-left text-[12px] text-quiet">
              <tr>
                <th className="py-1 font-normal">Key</th>
                <th className="font-normal">May</th>
                <th className="font-normal">Made</th>
                <th className="font-normal">Used last</th>
                <th>
                  <span className="sr-only">Revoke</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {data?.keys.map((k) => (
                <tr key={k.id} className={`border-b border-dotted ${k.revoked ? "text-quiet" : ""}`} data-key={k.name}>
                  <td className="py-1.5 pr-3 font-medium [overflow-wrap:anywhere]">{k.name}</td>
                  <td className="py-1.5 pr-3">
                    {joined(
                      k.rights.map((r) => rights.find(([key]) => key === r)?.[1] ?? r),
                      "and",
                    )}
                  </td>
                  <td className="pr-3 whitespace-nowrap">
                    {moment(k.at, state?.now)} <span className="text-quiet">by {k.who}</span>
                  </td>
                  <td className="pr-3 whitespace-nowrap">{k.lastUsed ? moment(k.lastUsed, state?.now) : "never"}</td>
                  <td className="text-right whitespace-nowrap">
                    {k.revoked ? (
                      `revoked ${moment(k.revoked, state?.now)}`
                    ) : (
                      <Button look="danger" aria-label={`Revoke ${k.name}`} onClick={() => setRevoking(k.id)}>
                        Revoke
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {channel !== "" && <HowToAsk channel={channel} />}
        {revoke.error && <FieldError>{errorText(revoke.error)}</FieldError>}
        {revoking !== null && (
          <Confirm
            title="Revoke this key?"
            yes="Revoke it"
            no="Keep it"
            onAnswer={(yes) => {
              setRevoking(null);
              if (yes) revoke.mutate(revoking);
            }}
          >
            Whatever program asks with it is refused from now on. A revoked key never works again.
          </Confirm>
        )}
      </div>
    </div>
  );
}

/** Where the programs of a channel ask, for whoever writes them. */
function HowToAsk({ channel }: { channel: string }) {
  const feed = `${window.location.origin}/feeds/${encodeURIComponent(channel)}`;
  return (
    <p className="mt-3 max-w-[70ch] text-[12px] text-quiet">
      A program shows its key as <code className="font-sans">Authorization: Bearer KEY</code>. What is published it
      fetches from <code className="font-sans [overflow-wrap:anywhere]">{feed}.csv</code>, or as .jsonl, .jsonld, .xml
      or .xlsx; whatever else it may ask is{" "}
      <a className="underline" href="/openapi.json" target="_blank" rel="noreferrer">
        described with examples
      </a>{" "}
      (OpenAPI).
    </p>
  );
}

function NewKey({ channel, onDone }: { channel: string; onDone: () => unknown }) {
  const [name, setName] = useState("");
  const [chosen, setChosen] = useState<string[]>(["feed", "quote", "redeem"]);
  const [copied, setCopied] = useState(false);
  const make = useMutation({
    mutationFn: () => makeKey(channel, { name, rights: chosen }),
    onSuccess: () => {
      setName("");
      setCopied(false);
      return onDone();
    },
  });
  return (
    <form
      aria-label="Make a key"
      className="mt-3 rounded-[4px] border border-ink/30 px-3 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5">
        <input
          aria-label="What the key is for"
          className="field w-60"
          placeholder="What the key is for"
          maxLength={120}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        {rights.map(([key, words]) => (
          <label key={key} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-ink"
              checked={chosen.includes(key)}
              onChange={(e) => setChosen(e.target.checked ? [...chosen, key] : chosen.filter((c) => c !== key))}
            />
            {words}
          </label>
        ))}
        <Button look="ink" type="submit" disabled={make.isPending || chosen.length === 0}>
          Make a key
        </Button>
      </div>
      <FieldError>{make.error ? errorText(make.error) : undefined}</FieldError>
      {make.data && (
        <p className="mt-2 rounded-[3px] bg-wash px-3 py-2" role="status">
          The new key, shown this once ({count(make.data.key.length)} letters):{" "}
          <code className="font-sans font-semibold [overflow-wrap:anywhere]" data-testid="new-key">
            {make.data.key}
          </code>{" "}
          <Button
            className="ml-2"
            onClick={() => {
              void navigator.clipboard.writeText(make.data.key).then(() => setCopied(true));
            }}
          >
            {copied ? "Copied" : "Copy"}
          </Button>
        </p>
      )}
    </form>
  );
}
