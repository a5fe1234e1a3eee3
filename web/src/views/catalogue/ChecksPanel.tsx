import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useRef } from "react";
import { Link, useSearchParams } from "react-router";
import { changeCheck, dropCheck, pinCheck, useChecks } from "../../api/checks";
import { useMay } from "../../api/session";
import { useProgramState } from "../../api/state";
import { carried, linesText, type BasketLine } from "../../lib/address";
import { type CheckRow } from "../../api/client";
import { amount, count, moment } from "../../lib/format";
import { useNames } from "../../lib/names";
import { assumedWords } from "../../lib/sentence";
import { Button } from "../../ui/button";
import { useOneTabStop } from "../../ui/one-stop";
import { Empty, Failed } from "../../ui/states";
import { useFailed, useNotices } from "../../ui/toasts";

interface Asked {
  at: string;
  channel?: string;
  group?: string;
  groups?: string[];
  customer?: string;
  country?: string;
  firstOrder?: boolean;
  signedIn?: boolean;
  with?: string[];
}
interface AskedPrice extends Asked {
  sku: string;
  quantity?: number;
}
interface AskedBasket extends Asked {
  lines: (Omit<BasketLine, "quantity"> & { quantity?: number })[];
  codes?: string[];
  shipping?: string;
}
interface Doc extends Record<string, unknown> {
  price?: AskedPrice;
  basket?: AskedBasket;
  is: { unit?: string | null; total?: string };
}

const docOf = (c: CheckRow) => c.doc as Doc;
/** The value of the answer that an expectation is about. */
const expected = (doc: Doc) => (doc.basket ? "total" : "unit");

function basketWords(basket: AskedBasket | undefined) {
  if (!basket) return "";
  const pieces = basket.lines.reduce((n, l) => n + (l.quantity ?? 1), 0);
  return `a basket of ${count(pieces)} ${pieces === 1 ? "piece" : "pieces"}${basket.codes ? ` with ${basket.codes.join(", ")}` : ""}`;
}

/** What is pinned, in one word where it is of one kind. */
function pinned(docs: Doc[]) {
  const baskets = docs.filter((d) => d.basket).length;
  if (baskets > 0 && baskets < docs.length) return "prices and baskets";
  return (baskets > 0 ? "basket" : "price") + (docs.length === 1 ? "" : "s");
}

/** Pinned prices and baskets, each with whether the book still says so; the broken ones first. */
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
      const what = expected(doc);
      const have = c.differences.find((d) => d.what === what)?.have;
      const next = { ...doc, is: { ...doc.is, [what]: have === "null" ? null : have } };
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
      ...[a.group ?? [], a.groups ?? []].flat().map((g) => `for ${names("groups", g)}`),
      a.customer ? `for ${names("customers", a.customer)}` : "",
      assumedWords({
        ...(a.country && { country: a.country }),
        ...(a.firstOrder !== undefined && { first: a.firstOrder }),
        ...(a.signedIn !== undefined && { signedIn: a.signedIn }),
      }),
    ]
      .filter((words, i) => i === 0 || words !== "")
      .join(", ");
  const show = ({ price, basket }: Doc) => {
    const a: Asked | undefined = price ?? basket;
    if (!a) return "/board";
    const next = new URLSearchParams(carried(params));
    next.set("at", a.at);
    next.set("channel", a.channel ?? "none");
    if (price) {
      next.set("sku", price.sku);
      next.set("quantity", String(price.quantity ?? 1));
      next.set("trail", "open");
    }
    for (const key of ["who", "country", "first", "signed-in", "attrs", "with"]) next.delete(key);
    if (a.country) next.set("country", a.country);
    if (a.firstOrder !== undefined) next.set("first", a.firstOrder ? "yes" : "no");
    if (a.signedIn !== undefined) next.set("signed-in", a.signedIn ? "yes" : "no");
    if (a.with) next.set("with", a.with.join(","));
    const [group] = [a.group ?? [], a.groups ?? []].flat();
    if (group) next.set("who", `group:${group}`);
    if (a.customer) next.set("who", `customer:${a.customer}`);
    if (basket) {
      next.delete("trail");
      next.set("lines", linesText(basket.lines.map((l) => ({ ...l, quantity: l.quantity ?? 1 }))));
      if (basket.codes) next.set("codes", basket.codes.join(","));
      if (basket.shipping) next.set("shipping", basket.shipping);
      return `/basket?${next.toString()}`;
    }
    return `/board?${next.toString()}`;
  };
  return (
    <div className="h-full overflow-y-auto">
      <div className="mx-auto max-w-[1060px] px-5 py-3">
        <p className="flex items-center gap-4 pb-2">
          <span>
            <b>{count(data.checks.length)}</b> pinned {pinned(data.checks.map(docOf))},{" "}
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
            const unit = c.differences.find((d) => d.what === expected(doc));
            const a: Asked | undefined = doc.price ?? doc.basket;
            return (
              <li key={c.id} className="flex items-baseline gap-4 border-t py-1.5" data-check={c.name}>
                <span className={`w-20 shrink-0 font-medium ${c.state === "holds" ? "text-good" : "text-bad"}`}>
                  {c.state === "holds" ? "✓ holds" : c.state === "broken" ? "✗ broken" : "✗ no answer"}
                </span>
                <span className="min-w-0 flex-1">
                  <Link className="font-medium underline decoration-1 underline-offset-2" to={show(doc)}>
                    {c.name}
                  </Link>
                  <span className="block text-[13px] text-quiet">
                    {doc.price ? doc.price.sku : basketWords(doc.basket)}
                    {doc.price?.quantity && doc.price.quantity > 1 ? `, ${doc.price.quantity} pieces` : ""}
                    {a?.channel ? `, ${state?.channels.find((x) => x.code === a.channel)?.name ?? a.channel}` : ""}
                    {a && forWhom(a)}, {moment(a?.at ?? "", state?.now)} · pinned by {c.who} {moment(c.at, state?.now)}
                  </span>
                  {c.problem && <span className="block text-bad">{c.problem}</span>}
                </span>
                <span className="w-64 shrink-0 text-right">
                  {amount(doc.basket ? doc.is.total : doc.is.unit)}
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
