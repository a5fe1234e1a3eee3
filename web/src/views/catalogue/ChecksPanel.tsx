import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useRef } from "react";
import { Link, useSearchParams } from "react-router";
import { changeCheck, dropCheck, pinCheck, useChecks } from "../../api/checks";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { carried } from "../../lib/address";
import { type CheckRow } from "../../api/client";
import { amount, count, moment } from "../../lib/format";
import { useNames } from "../../lib/names";
import { assumedWords } from "../../lib/sentence";
import { Button } from "../../ui/button";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";
import { useFailed, useNotices } from "../../ui/toasts";

interface Asked {
  sku: string;
  at: string;
  channel?: string;
  quantity?: number;
  group?: string;
  customer?: string;
  country?: string;
  firstOrder?: boolean;
  signedIn?: boolean;
  with?: string[];
}
interface Doc extends Record<string, unknown> {
  price: Asked;
  is: { unit?: string | null };
}

const docOf = (c: CheckRow) => c.doc as Doc;

/** Pinned prices, each with whether the book still says so; the broken ones first. */
export function ChecksPanel() {
  const list = useRef<HTMLUListElement>(null);
  useOneTabStop(list, "li");
  const { data, error, refetch } = useChecks();
  const { data: state } = useProgramState();
  const [params] = useSearchParams();
  const may = useMay("manager");
  const client = useQueryClient();
  const fail = useFailed();
  const names = useNames();
  const done = () => client.invalidateQueries({ queryKey: ["book", "checks"] });
  const { tell } = useNotices();
  const drop = useMutation({
    mutationFn: (c: CheckRow) => dropCheck(c.id),
    onSuccess: (_, c) => {
      tell({ text: `Unpinned “${c.name}”`, undo: () => pinCheck({ name: c.name, doc: c.doc }).then(done) });
      return done();
    },
    onError: fail,
  });
  const accept = useMutation({
    mutationFn: (c: CheckRow) => {
      const doc = docOf(c);
      const have = c.differences.find((d) => d.what === "unit")?.have;
      const next = { ...doc, is: { ...doc.is, unit: have === "null" ? null : have } };
      return changeCheck(c.id, { name: c.name, doc: next });
    },
    onSuccess: done,
    onError: fail,
  });
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return null;
  if (data.checks.length === 0)
    return (
      <Empty title="No price is pinned yet">
        Select a product, open its trail and pin the price that it must have. From then on every change of the book says
        beforehand whether it would break that.
      </Empty>
    );
  const forWhom = (a: Asked) =>
    [
      "",
      a.group ? `for ${names("groups", a.group)}` : "",
      a.customer ? `for ${names("customers", a.customer)}` : "",
      assumedWords({
        ...(a.country && { country: a.country }),
        ...(a.firstOrder !== undefined && { first: a.firstOrder }),
        ...(a.signedIn !== undefined && { signedIn: a.signedIn }),
      }),
    ]
      .filter((words, i) => i === 0 || words !== "")
      .join(", ");
  const show = (a: Asked) => {
    const next = new URLSearchParams(carried(params));
    next.set("sku", a.sku);
    next.set("at", a.at);
    next.set("channel", a.channel ?? "none");
    next.set("quantity", String(a.quantity ?? 1));
    next.set("trail", "open");
    for (const key of ["who", "country", "first", "signed-in", "attrs", "with"]) next.delete(key);
    if (a.country) next.set("country", a.country);
    if (a.firstOrder !== undefined) next.set("first", a.firstOrder ? "yes" : "no");
    if (a.signedIn !== undefined) next.set("signed-in", a.signedIn ? "yes" : "no");
    if (a.with) next.set("with", a.with.join(","));
    if (a.group) next.set("who", `group:${a.group}`);
    if (a.customer) next.set("who", `customer:${a.customer}`);
    return `/board?${next.toString()}`;
  };
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[1060px] px-5 py-3">
        <p className="flex items-center gap-4 pb-2">
          <span>
            <b>{count(data.checks.length)}</b> pinned {data.checks.length === 1 ? "price" : "prices"},{" "}
            <b className={data.broken > 0 ? "text-bad" : "text-good"}>
              {data.broken === 0 ? "all hold" : `${count(data.broken)} broken`}
            </b>
          </span>
          <a
            href="/api/checks/file"
            download
            className="inline-flex min-h-7 items-center gap-1.5 rounded-[3px] border border-ink/40 px-2.5 font-medium hover:bg-wash"
          >
            <Download size={14} aria-hidden /> Save as a file of checks
          </a>
        </p>
        <ul ref={list}>
          {data.checks.map((c) => {
            const doc = docOf(c);
            const unit = c.differences.find((d) => d.what === "unit");
            return (
              <li key={c.id} className="flex items-baseline gap-4 border-t py-1.5" data-check={c.name}>
                <span className={`w-20 shrink-0 font-medium ${c.state === "holds" ? "text-good" : "text-bad"}`}>
                  {c.state === "holds" ? "✓ holds" : c.state === "broken" ? "✗ broken" : "✗ no answer"}
                </span>
                <span className="min-w-0 flex-1">
                  <Link className="font-medium underline decoration-1 underline-offset-2" to={show(doc.price)}>
                    {c.name}
                  </Link>
                  <span className="block text-[13px] text-quiet">
                    {doc.price.sku}
                    {doc.price.quantity && doc.price.quantity > 1 ? `, ${doc.price.quantity} pieces` : ""}
                    {doc.price.channel
                      ? `, ${state?.channels.find((x) => x.code === doc.price.channel)?.name ?? doc.price.channel}`
                      : ""}
                    {forWhom(doc.price)}, {moment(doc.price.at, state?.now)} · pinned by {c.who}{" "}
                    {moment(c.at, state?.now)}
                  </span>
                  {c.problem && <span className="block text-bad">{c.problem}</span>}
                </span>
                <span className="w-64 shrink-0 text-right">
                  {amount(doc.is.unit)}
                  {unit && (
                    <span className="font-medium text-bad">
                      {" "}
                      but is {unit.have === "null" ? "no price" : amount(unit.have)}
                    </span>
                  )}
                </span>
                <span className="flex w-52 shrink-0 justify-end gap-1">
                  {may && unit && (
                    <Button
                      aria-label={`Expect ${unit.have} from now on: ${c.name}`}
                      onClick={() => accept.mutate(c)}
                      disabled={accept.isPending}
                    >
                      Expect this
                    </Button>
                  )}
                  {may && (
                    <Button look="bare" aria-label={`Unpin ${c.name}`} onClick={() => drop.mutate(c)}>
                      Unpin
                    </Button>
                  )}
                </span>
              </li>
            );
          })}
        </ul>
      </div>
    </div>
  );
}
