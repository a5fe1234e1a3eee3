import { useState, type ReactNode } from "react";
import { Problem } from "../../api/client";
import { useDropLink, useLinks, useSaveLink, useTryLink, type LinkAnswer, type LinkForm } from "../../api/links";
import { useMay } from "../../api/session";
import { errorText } from "../../lib/format";
import { Choice } from "../../ui/blanks";
import { DecimalInput } from "../../ui/decimal-input";
import { DurationBlank } from "../../ui/time-blanks";
import { Button } from "../../ui/button";
import { Confirm } from "../../ui/confirm";
import { ConflictNote } from "../../ui/draft-notes";
import { FieldError } from "../../ui/states";

/** How a channel is reached, when it is told, and who has to agree. */
export function Connection({ channel, name }: { channel: string; name: string }) {
  const { data: links } = useLinks();
  if (!links) return null;
  const link = links.find((l) => l.channel === channel);
  return <Form key={channel} channel={channel} name={name} link={link} />;
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
  pages: string;
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
    pages: l?.pages ?? "",
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
  ...(d.pages.trim() !== "" && { pages: d.pages.trim() }),
});

const kinds = [
  ["http", "over HTTP: prices are sent to it"],
  ["folder", "through a folder: files are laid down for it"],
  ["feed", "by itself: it fetches a feed"],
] as const;
const sendings = [
  ["by-hand", "by hand alone"],
  ["on-the-minute", "by hand, and on the minute what begins or ends by itself"],
] as const;
const approvals = [
  ["none", "never"],
  ["always", "always"],
  ["over", "where a price moves by more than"],
] as const;
const references = [
  ["lowest30", "the lowest price of the 30 days before"],
  ["catalog", "the catalog price"],
  ["list", "the list price"],
  ["rrp", "the recommended price"],
] as const;

const word = (of: readonly (readonly [string, string])[], key: string) => of.find(([k]) => k === key)?.[1] ?? key;

/** A connection in words. */
const inWords = (d: Draft) =>
  [
    word(kinds, d.kind),
    d.kind !== "feed" && (d.address || "no address"),
    word(sendings, d.sends),
    `a second person agrees: ${word(approvals, d.approval)}${d.approval === "over" ? ` ${d.over} %` : ""}`,
    `from ${word(references, d.reference)}`,
    d.kind !== "feed" && `given up after ${d.giveUpAfter}`,
    d.kind === "http" && `read: ${d.compare}`,
  ]
    .filter(Boolean)
    .join(" · ");

function Form({ channel, name, link }: { channel: string; name: string; link: LinkAnswer | undefined }) {
  const saved = JSON.stringify(link ?? null);
  // What was written, with what was kept when it was begun; nothing written: what is kept.
  const [own, setOwn] = useState<{ draft: Draft; of: string } | null>(null);
  const draft = own?.draft ?? draftOf(link);
  const [dropping, setDropping] = useState(false);
  const may = useMay("administrator");
  const save = useSaveLink(channel);
  const drop = useDropLink(channel);
  const probe = useTryLink(channel);
  const set = (change: Partial<Draft>) => {
    setOwn((o) => ({ draft: { ...(o?.draft ?? draftOf(link)), ...change }, of: o?.of ?? saved }));
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
        save.mutate(formOf(draft), { onSuccess: () => setOwn(null) });
      }}
    >
      <fieldset disabled={!may} className="grid grid-cols-[190px_1fr] items-start gap-x-5 gap-y-3">
        <Row label="It is reached">
          <Choice label="It is reached" value={draft.kind} options={kinds} onChange={(kind) => set({ kind })} />
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
          <Choice label="It is told" value={draft.sends} options={sendings} onChange={(sends) => set({ sends })} />
        </Row>
        <Row label="A second person agrees">
          <Choice
            label="A second person agrees"
            value={draft.approval}
            options={approvals}
            onChange={(approval) => set({ approval })}
          />
          {draft.approval === "over" && (
            <label>
              {" "}
              <DecimalInput
                aria-label="Percent"
                className="blank w-16 text-right"
                value={draft.over}
                onChange={(over) => set({ over })}
              />{" "}
              %
            </label>
          )}
          {wrong("approval")}
        </Row>
        <Row label="Reductions are shown from">
          <Choice
            label="Reductions are shown from"
            value={draft.reference}
            options={references}
            onChange={(reference) => set({ reference })}
          />
        </Row>
        <Row label="Its goods are seen at">
          <input
            aria-label="Its goods are seen at"
            aria-invalid={at === "pages"}
            className="field w-full"
            placeholder="https://shop.example/goods/{sku}"
            maxLength={500}
            value={draft.pages}
            onChange={(e) => set({ pages: e.target.value })}
          />
          <span className="text-quiet">mails to customers lead there; {"{sku}"} stands for the SKU</span>
          {wrong("pages")}
        </Row>
        {draft.kind !== "feed" && (
          <Row label="Given up after">
            <DurationBlank
              label="Given up after"
              value={draft.giveUpAfter}
              onChange={(giveUpAfter) => set({ giveUpAfter })}
            />
            <span className="text-quiet"> without an answer, such as 30m or 2h</span>
            {wrong("giveUpAfter")}
          </Row>
        )}
        {draft.kind === "http" && (
          <Row label="What it shows is read">
            <DurationBlank
              label="What it shows is read"
              value={draft.compare}
              onChange={(compare) => set({ compare })}
            />
            <span className="text-quiet"> apart, such as 1h, or off</span>
            {wrong("compare")}
          </Row>
        )}
      </fieldset>
      {own && own.of !== saved && (
        <ConflictNote
          one="connection"
          theirs={inWords(draftOf(link))}
          yours={inWords(draft)}
          deleted={!link}
          onTake={() => setOwn(null)}
          onKeep={() => setOwn({ draft, of: saved })}
        />
      )}
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
