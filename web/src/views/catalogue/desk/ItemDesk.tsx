import { useRef, useState, type FC } from "react";
import { Link, useSearchParams } from "react-router";
import { ConflictNote, FoundNote } from "../../../ui/draft-notes";
import { useDraft } from "../../../lib/draft";
import { useEdit } from "../../../api/edits";
import { useEditImpact } from "../../../api/impact";
import { itemsQuery, useItems } from "../../../api/items";
import { refresh } from "../../../api/saving";
import { useMay } from "../../../api/session";
import { useProgramState } from "../../../api/state";
import { carried } from "../../../lib/address";
import { Problem, type Item, type ItemKind, type Pieces } from "../../../api/client";
import { useQueryClient } from "@tanstack/react-query";
import { count, errorText } from "../../../lib/format";
import { isAt } from "../../../lib/paths";
import { Button } from "../../../ui/button";
import { rememberFocus } from "../../../ui/focus";
import { EffectNote } from "../../../ui/effect-note";
import { Empty, Failed, FieldError } from "../../../ui/states";
import { codeFrom } from "../../../parts/rule/form";
import { useOneTabStop } from "../../../ui/one-stop";
import { Tip } from "../../../ui/tip";

/** A group, customer, range, ladder, campaign or channel as docs/book.md writes it. */
export type Doc = Record<string, unknown> & { code: string };

export interface FormProps<K extends ItemKind = ItemKind> {
  /** As far as it is written. */
  doc: Partial<Pieces[K]> & { code: string };
  /** Puts other values into the document; undefined takes a key out. */
  set: (part: Record<string, unknown>) => void;
  /** What is wrong at a path of the document or under it. */
  errorAt: (path: string) => string | undefined;
  saved: boolean;
}

interface Props<K extends ItemKind> {
  kind: K;
  /** One of them, in words: "range". */
  one: string;
  /** What a new one begins with. */
  blank: Record<string, unknown>;
  form: FC<FormProps<K>>;
  /** Keys of the document beside which the form shows what is wrong. */
  covers: string[];
  /** What the list says beside the name. */
  about: (item: Item<K>, doc: Pieces[K]) => string;
  /** What stands here while there is none. */
  teach: string;
}

/** All of one kind at the left, one of them at the right: made, changed and deleted with what that would do to prices. */
export function ItemDesk<K extends ItemKind>({ kind, one, blank, form, covers, about, teach }: Props<K>) {
  const { data: items, error, refetch, isFetching } = useItems(kind);
  const [params, setParams] = useSearchParams();
  const [words, setWords] = useState("");
  const may = useMay("manager");
  const chosen = params.get("item");
  const choose = (code: string | null) =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      if (code === null) next.delete("item");
      else next.set("item", code);
      return next;
    });
  const list = useRef<HTMLUListElement>(null);
  useOneTabStop(list, "li");
  if (error && !items) return <Failed error={error} retry={() => void refetch()} />;
  if (!items) return null;
  const fits = items.filter((i) => `${i.code} ${i.name}`.toLowerCase().includes(words.trim().toLowerCase()));
  const item = items.find((i) => i.code === chosen);
  return (
    <div className="flex h-full">
      <div className="flex w-[340px] shrink-0 flex-col border-r">
        <div className="flex shrink-0 items-center gap-2 border-b px-4 py-2">
          <input
            type="search"
            aria-label={`Find a ${one}`}
            placeholder={`Find a ${one}`}
            className="field min-w-0 flex-1"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          {may && <Button onClick={() => choose("")}>New {one}</Button>}
        </div>
        <ul ref={list} className="min-h-0 flex-1 overflow-y-auto" aria-label={`All, ${count(items.length)}`}>
          {fits.slice(0, 400).map((i) => (
            <li key={i.code}>
              <button
                type="button"
                aria-current={i.code === chosen}
                className={`block w-full border-b px-4 py-1.5 text-left ${i.code === chosen ? "bg-ink text-paper" : "hover:bg-wash"}`}
                onClick={() => choose(i.code)}
              >
                <span className="block truncate font-medium">{i.name || i.code}</span>
                <span className={`block truncate text-[13px] ${i.code === chosen ? "opacity-85" : "text-quiet"}`}>
                  {about(i, i.doc)}
                </span>
              </button>
            </li>
          ))}
          {fits.length > 400 && (
            <li className="px-4 py-2 text-quiet">and {count(fits.length - 400)} more: type a part of the name</li>
          )}
          {fits.length === 0 && items.length > 0 && <li className="px-4 py-3 text-quiet">Nothing by that name.</li>}
        </ul>
      </div>
      <div className="min-w-0 flex-1 overflow-y-auto">
        {chosen === "" || item ? (
          <Desk
            key={`${kind} ${chosen}`}
            kind={kind}
            one={one}
            blank={blank}
            Form={form}
            covers={covers}
            item={item}
            taken={new Set(items.map((i) => i.code))}
            onCode={choose}
          />
        ) : isFetching && chosen !== null ? null : chosen !== null ? (
          <Empty title={`There is no ${one} ${chosen}`}>It may have been deleted.</Empty>
        ) : (
          <Empty title={items.length === 0 ? `There is no ${one} yet` : `Choose a ${one}`}>{teach}</Empty>
        )}
      </div>
    </div>
  );
}

interface DeskProps<K extends ItemKind> {
  kind: K;
  one: string;
  blank: Record<string, unknown>;
  Form: FC<FormProps<K>>;
  covers: string[];
  item: Item<K> | undefined;
  taken: Set<string>;
  onCode: (code: string | null) => void;
}

function Desk<K extends ItemKind>({ kind, one, blank, Form, covers, item, taken, onCode }: DeskProps<K>) {
  const saved = item?.doc as Doc | undefined;
  const start = saved ?? { ...blank, code: "" };
  const draft = useDraft<Doc>(`dogbane-${kind} ${item?.code ?? ""}`, start, item?.etag ?? "");
  const { value: doc, etag, dirty, theirs } = draft;
  const [tried, setTried] = useState(false);
  const [ownCode, setOwnCode] = useState(item !== undefined);
  const [params] = useSearchParams();
  const { data: state } = useProgramState();
  const may = useMay("manager");
  const client = useQueryClient();
  const name = typeof doc.name === "string" ? doc.name : "";
  const code = item?.code ?? (ownCode ? doc.code : name.trim() ? codeFrom(name, taken).toLowerCase() : "");
  const whole: Doc = { ...doc, code };
  const change = { kind, code, doc: whole, ...(etag && { etag }) };
  const effect = useEditImpact(dirty && code !== "" ? [change] : null);
  const away = (to: string | null) => {
    draft.forget();
    onCode(to);
  };
  const made = useEdit(() => away(code));
  const changed = useEdit();
  const edit = item ? changed : made;
  const refused = edit.error instanceof Problem && edit.error.status !== 412 ? edit.error : null;
  const wrong = [
    ...(dirty ? (effect.data?.errors ?? []) : []),
    ...(refused?.details ?? []).map((d) => ({ path: d.location, problem: d.message })),
  ];
  const errorAt = (path: string) => {
    const e = wrong.find((w) => isAt(w.path, path));
    return e && tried ? `${e.problem}.` : undefined;
  };
  const set = (part: Record<string, unknown>) => {
    draft.set((old) => {
      const next = Object.fromEntries(
        Object.entries({ ...old, ...part }).filter(([, v]) => v !== undefined && v !== ""),
      );
      return { ...next, code: old.code };
    });
  };
  const again = (d: Doc, tag: string) => {
    draft.restart(d, tag);
    setTried(false);
  };
  const latest = async () => {
    await refresh(client);
    return (await client.query(itemsQuery(kind))).find((i) => i.code === code);
  };
  const submit = () => {
    setTried(true);
    if (code === "" || wrong.length > 0) return;
    if (!item) {
      made.mutate({ changes: [change] });
      return;
    }
    const refocus = rememberFocus();
    edit.mutate(
      { changes: [change] },
      {
        onSuccess: () =>
          void latest().then((now) => {
            if (now) again(now.doc, now.etag);
            else away(null);
            refocus();
          }),
        onError: draft.refused,
      },
    );
  };
  const missing = code === "" ? `Give the ${one} a name.` : undefined;
  return (
    <form
      className="mx-auto max-w-[860px] px-6 pt-3 pb-10"
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      <div className="text-quiet">{item ? one : `New ${one}`}</div>
      <input
        aria-label="Name"
        aria-invalid={tried && missing !== undefined}
        placeholder={`Name of the ${one}`}
        className="w-full border-b-2 border-ink/25 bg-transparent pb-0.5 text-[21px] font-semibold outline-none focus:border-ink"
        value={name}
        onChange={(e) => set({ name: e.target.value })}
      />
      <FieldError>{tried ? (missing ?? errorAt("name")) : undefined}</FieldError>
      <label className="mt-1 flex items-center gap-2 text-[13px] text-quiet">
        Code
        <input
          aria-label="Code"
          className="field w-56 disabled:opacity-60"
          disabled={item !== undefined}
          value={code}
          onChange={(e) => {
            setOwnCode(true);
            draft.set((old) => ({ ...old, code: e.target.value }));
          }}
        />
        {item ? "stays as it is" : ""}
        <FieldError>{errorAt("code")}</FieldError>
      </label>
      {draft.found && (
        <FoundNote
          onRestart={() => {
            again(start, item?.etag ?? "");
          }}
        />
      )}
      {theirs !== undefined && (
        <ConflictNote
          one={one}
          deleted={theirs === null}
          theirs={JSON.stringify(theirs)}
          yours={JSON.stringify(whole)}
          onTake={() =>
            void latest().then((now) => {
              if (now) again(now.doc, now.etag);
              else away(null);
            })
          }
          onKeep={() =>
            void latest().then((now) => {
              draft.rebase(now?.etag ?? "");
            })
          }
        />
      )}
      <div className="mt-3 text-[16px]" key={draft.round}>
        <Form doc={whole as FormProps<K>["doc"]} set={set} errorAt={errorAt} saved={item !== undefined} />
      </div>
      {tried &&
        wrong
          .filter((w) => !["name", "code", ...covers].some((part) => isAt(w.path, part)))
          .slice(0, 5)
          .map((w) => (
            <p key={w.path + w.problem}>
              <FieldError>
                {w.path && `${w.path}: `}
                {w.problem}.
              </FieldError>
            </p>
          ))}
      <div className="mt-4 flex items-center gap-2">
        <Button look="ink" type="submit" disabled={!may || edit.isPending || (!dirty && item !== undefined)}>
          {item ? "Save the change" : `Make the ${one}`}
        </Button>
        {dirty && item && <Button onClick={() => again(saved ?? whole, item.etag)}>Put it back as it was</Button>}
        {item && may && (
          <Tip text={item.uses.length > 0 && "It is in use; the error says where"}>
            <Button
              look="danger"
              className="ml-auto"
              disabled={edit.isPending}
              onClick={() =>
                // The item leaves the list before the callbacks of mutate would run: only the promise still tells.
                void edit.mutateAsync({ changes: [{ kind, code, etag: item.etag }] }).then(
                  () => {
                    away(null);
                  },
                  () => undefined, // shown beside
                )
              }
            >
              Delete the {one}
            </Button>
          </Tip>
        )}
        {!may && <span className="text-quiet">You may look, not save.</span>}
        {edit.error && !(edit.error instanceof Problem && edit.error.status === 412) && (
          <FieldError>{errorText(edit.error)}</FieldError>
        )}
      </div>
      {dirty && code !== "" && wrong.length === 0 && (
        <section aria-label="What it would do" className="mt-4 rounded-[4px] border border-ink/25 bg-sheet px-3 py-2">
          <h2 className="text-[13px] font-normal text-quiet">What it would do</h2>
          <EffectNote effect={effect.data} busy={effect.isFetching} now={state?.now ?? ""} />
        </section>
      )}
      {refused && (
        <ul className="mt-1 text-bad">
          {refused.details.slice(0, 6).map((d) => (
            <li key={d.location + d.message}>
              {d.location && `${d.location}: `}
              {d.message}
            </li>
          ))}
        </ul>
      )}
      {item && kind !== "customers" && item.uses.length > 0 && (
        <section aria-label="Where it is used" className="mt-5">
          <h2 className="border-b pb-1">
            Used by {count(item.uses.length)} {item.uses.length === 1 ? "rule" : "rules"}
          </h2>
          <p className="mt-1 leading-7">
            {item.uses.map((u) => (
              <Link
                key={u}
                className="mr-3 underline decoration-1 underline-offset-2"
                to={`/stack/rule/${encodeURIComponent(u)}${carried(params)}`}
              >
                {u}
              </Link>
            ))}
          </p>
        </section>
      )}
    </form>
  );
}
