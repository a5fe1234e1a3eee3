import { useState, type ReactNode } from "react";
import { Problem } from "../../api/client";
import { useDropLink, useLinks, useSaveLink, useTryLink, type LinkAnswer, type LinkForm } from "../../api/links";
import { useMay } from "../../api/session";
import { errorText } from "../../lib/format";
import { Button } from "../../ui/button";
import { Confirm } from "../../ui/confirm";
import { FieldError } from "../../ui/states";

/** How a channel is reached, when it is told, and who has to agree. */
export function Connection({ channel, name }: { channel: string; name: string }) {
  const { data: links } = useLinks();
  if (!links) return null;
  const link = links.find((l) => l.channel === channel);
  return <Form key={JSON.stringify(link ?? null)} channel={channel} name={name} link={link} />;
}

interface Draft {
  kind: string;
  address: string;
  token: string | null;
  sends: string;
  approval: string;
  over: string;
  giveUpAfter: string;
  compare: string;
  reference: string;
}

const draftOf = (l: LinkAnswer | undefined): Draft => {
  const approval = l?.approval as string | { overPercent: string } | undefined;
  return {
    kind: l?.kind ?? "http",
    address: l?.address ?? "",
    token: l?.token ? null : "",
    sends: l?.sends ?? "by-hand",
    approval: typeof approval === "object" ? "over" : (approval ?? "none"),
    over: typeof approval === "object" ? approval.overPercent : "10",
    giveUpAfter: l?.giveUpAfter ?? "30m",
    compare: l?.compare ?? "off",
    reference: l?.reference ?? "lowest30",
  };
};

const formOf = (d: Draft): LinkForm => ({
  kind: d.kind,
  ...(d.kind !== "feed" && { address: d.address }),
  ...(d.kind === "http" && d.token !== null && { token: d.token }),
  sends: d.sends,
  approval: d.approval === "over" ? { overPercent: d.over } : d.approval,
  giveUpAfter: d.giveUpAfter,
  compare: d.compare,
  reference: d.reference,
});

function Form({ channel, name, link }: { channel: string; name: string; link: LinkAnswer | undefined }) {
  const [draft, setDraft] = useState(() => draftOf(link));
  const [dropping, setDropping] = useState(false);
  const may = useMay("administrator");
  const save = useSaveLink(channel);
  const drop = useDropLink(channel);
  const probe = useTryLink(channel);
  const set = (change: Partial<Draft>) => {
    setDraft((d) => ({ ...d, ...change }));
    save.reset();
    probe.reset();
  };
  const failed = save.error ?? probe.error ?? drop.error;
  const at = failed instanceof Problem ? (failed.details[0]?.location?.split(".")[0] ?? "") : "";
  const wrong = (field: string) => (at === field && failed ? <FieldError>{errorText(failed)}</FieldError> : null);
  return (
    <form
      aria-label={`How the ${name} is reached`}
      className="mx-auto w-full max-w-[760px] overflow-y-auto px-5 py-4"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(formOf(draft));
      }}
    >
      <fieldset disabled={!may} className="grid grid-cols-[190px_1fr] items-start gap-x-5 gap-y-3">
        <Row label="It is reached">
          <select
            aria-label="It is reached"
            className="blank"
            value={draft.kind}
            onChange={(e) => set({ kind: e.target.value })}
          >
            <option value="http">over HTTP: prices are sent to it</option>
            <option value="folder">through a folder: files are laid down for it</option>
            <option value="feed">by itself: it fetches a feed</option>
          </select>
          {wrong("kind")}
        </Row>
        {draft.kind !== "feed" && (
          <Row label={draft.kind === "http" ? "Address" : "Folder"}>
            <input
              aria-label={draft.kind === "http" ? "Address" : "Folder"}
              className="field w-full"
              placeholder={draft.kind === "http" ? "https://shop.example/interface" : "/srv/tills/quay"}
              maxLength={2000}
              value={draft.address}
              aria-invalid={at === "address"}
              onChange={(e) => set({ address: e.target.value })}
            />
            {wrong("address")}
          </Row>
        )}
        {draft.kind === "http" && (
          <Row label="Token">
            {draft.token === null ? (
              <span>
                one is kept{" "}
                <button type="button" className="underline underline-offset-2" onClick={() => set({ token: "" })}>
                  Write another
                </button>
              </span>
            ) : (
              <input
                aria-label="Token"
                className="field w-full"
                type="password"
                autoComplete="off"
                maxLength={200}
                value={draft.token}
                onChange={(e) => set({ token: e.target.value })}
              />
            )}
          </Row>
        )}
        <Row label="It is told">
          <select
            aria-label="It is told"
            className="blank"
            value={draft.sends}
            onChange={(e) => set({ sends: e.target.value })}
          >
            <option value="by-hand">by hand alone</option>
            <option value="on-the-minute">by hand, and on the minute what begins or ends by itself</option>
          </select>
        </Row>
        <Row label="A second person agrees">
          <select
            aria-label="A second person agrees"
            className="blank"
            value={draft.approval}
            onChange={(e) => set({ approval: e.target.value })}
          >
            <option value="none">never</option>
            <option value="always">always</option>
            <option value="over">where a price moves by more than</option>
          </select>
          {draft.approval === "over" && (
            <label>
              {" "}
              <input
                aria-label="Percent"
                className="blank w-16 text-right"
                inputMode="decimal"
                value={draft.over}
                onChange={(e) => set({ over: e.target.value })}
              />{" "}
              %
            </label>
          )}
          {wrong("approval")}
        </Row>
        <Row label="Reductions are shown from">
          <select
            aria-label="Reductions are shown from"
            className="blank"
            value={draft.reference}
            onChange={(e) => set({ reference: e.target.value })}
          >
            <option value="lowest30">the lowest price of the 30 days before</option>
            <option value="catalog">the catalog price</option>
            <option value="list">the list price</option>
            <option value="rrp">the recommended price</option>
          </select>
        </Row>
        {draft.kind !== "feed" && (
          <Row label="Given up after">
            <input
              aria-label="Given up after"
              className="blank w-20"
              value={draft.giveUpAfter}
              onChange={(e) => set({ giveUpAfter: e.target.value })}
            />
            <span className="text-quiet"> without an answer, such as 30m or 2h</span>
            {wrong("giveUpAfter")}
          </Row>
        )}
        {draft.kind === "http" && (
          <Row label="What it shows is read">
            <input
              aria-label="What it shows is read"
              className="blank w-20"
              value={draft.compare}
              onChange={(e) => set({ compare: e.target.value })}
            />
            <span className="text-quiet"> apart, such as 1h, or off</span>
            {wrong("compare")}
          </Row>
        )}
      </fieldset>
      {at === "" && failed && <FieldError>{errorText(failed)}</FieldError>}
      <div className="mt-5 flex items-center gap-3">
        {may ? (
          <>
            <Button look="ink" type="submit" disabled={save.isPending}>
              {link ? "Keep it" : `Connect the ${name}`}
            </Button>
            <Button type="button" disabled={probe.isPending} onClick={() => probe.mutate(formOf(draft))}>
              {probe.isPending ? "Asking it …" : "Try it"}
            </Button>
            {link && (
              <Button type="button" look="danger" onClick={() => setDropping(true)}>
                Disconnect it
              </Button>
            )}
          </>
        ) : (
          <span className="text-quiet">Administrators connect channels.</span>
        )}
        <span aria-live="polite">
          {save.isSuccess && <span className="text-good">Kept.</span>}
          {probe.data &&
            (probe.data.works ? (
              <span className="text-good">It works.</span>
            ) : (
              <span className="font-medium text-bad">{probe.data.problem}</span>
            ))}
        </span>
      </div>
      {dropping && (
        <Confirm
          title={`Disconnect the ${name}?`}
          yes="Disconnect it"
          no="Keep it"
          onAnswer={(yes) => {
            setDropping(false);
            if (yes) drop.mutate();
          }}
        >
          Nothing is sent to it any more, and its token is forgotten. What it took is still known.
        </Confirm>
      )}
    </form>
  );
}

const Row = ({ label, children }: { label: string; children: ReactNode }) => (
  <>
    <span className="pt-0.5 text-quiet">{label}</span>
    <div>{children}</div>
  </>
);
