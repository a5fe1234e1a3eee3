import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical, MoreHorizontal } from "lucide-react";
import { DropdownMenu, Switch } from "radix-ui";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { deleteRule, doToRules, switchRule } from "../../api/rules";
import { useSave } from "../../api/saving";
import { useMay } from "../../api/session";
import { addressOf, carried } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { type RuleRow } from "../../api/client";
import { count } from "../../lib/format";
import { sentence, standingWords, type Names } from "../../lib/sentence";
import { CopyDialog } from "../../parts/copies/CopyDialog";
import { WhyNot } from "../../parts/rule/WhyNot";
import { Button } from "../../ui/button";
import { useFailed } from "../../ui/toasts";
import { Tip } from "../../ui/tip";

interface Props {
  row: RuleRow;
  place: number;
  now: string;
  names: Names;
  canMove: boolean;
  ticked: boolean;
  onTick: (on: boolean) => void;
  onMove: (direction: 1 | -1) => void;
}

/** One rule as a sentence, with its reach and its state. */
export function RuleLine({ row, place, now, names, canMove, ticked, onTick, onMove }: Props) {
  const { rule } = row;
  const { params } = useViewpoint();
  const navigate = useNavigate();
  const fail = useFailed();
  const { setNodeRef, setActivatorNodeRef, attributes, listeners, transform, transition, isDragging } = useSortable({
    id: rule.code,
    disabled: !canMove,
  });
  const { code } = rule;
  const [copying, setCopying] = useState(false);
  const [why, setWhy] = useState(false);
  const flip = useSave((status: "on" | "off", seen) => switchRule({ code, status }, seen));
  const start = useSave((_: void, seen) => doToRules({ codes: [code], do: "start" }, seen));
  const remove = useSave((_: void, seen) => deleteRule(code, seen));
  const s = sentence(rule, names, now);
  const may = useMay("manager");
  const name = rule.name ?? rule.code;
  const asleep = !["on", "opens", "closed"].includes(row.state);
  const edit = `/stack/rule/${encodeURIComponent(rule.code)}${carried(params)}`;
  const copy = addressOf("/stack/new", params, { copy: code });
  const item = "cursor-pointer rounded-[3px] px-3 py-1 outline-none data-[highlighted]:bg-wash";
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition: transition }}
      data-rule={rule.code}
      className={`flex items-center gap-3 border-b bg-paper py-1.5 pr-1 pl-1 ${isDragging ? "relative z-10 shadow-lg" : "hover:bg-wash/60"}`}
    >
      {may && (
        <input
          type="checkbox"
          className="ml-1 accent-ink"
          aria-label={`Choose ${name}`}
          checked={ticked}
          onChange={(e) => onTick(e.target.checked)}
        />
      )}
      <Tip text={canMove ? "Drag, or Alt and arrow keys, to change the rank" : "Show all rules to change ranks"}>
        <span className="flex">
          <button
            type="button"
            ref={setActivatorNodeRef}
            {...attributes}
            {...listeners}
            disabled={!canMove}
            aria-label={`Move ${name}`}
            className="flex min-w-6 items-center justify-center py-2 text-quiet enabled:cursor-grab disabled:opacity-40"
            onKeyDown={(e) => {
              if (e.altKey && (e.key === "ArrowUp" || e.key === "ArrowDown")) {
                e.preventDefault();
                onMove(e.key === "ArrowUp" ? -1 : 1);
                return;
              }
              listeners?.onKeyDown?.(e);
            }}
          >
            <GripVertical size={15} aria-hidden />
          </button>
        </span>
      </Tip>
      <span className="-ml-2 w-6 text-right text-quiet" data-testid="rank" data-place={place}>
        {rule.rank}
      </span>
      <div className={`min-w-0 flex-1 ${asleep ? "opacity-75" : ""}`}>
        <Link to={edit} className="font-semibold underline-offset-2 hover:underline">
          {name}
        </Link>
        <p>
          <span className="font-medium">{s.what}</span> {[s.goods, s.whom, s.where, s.when].filter(Boolean).join(", ")}
          {rule.note && <span className="text-quiet"> · {rule.note}</span>}
        </p>
      </div>
      <div className="w-[118px] shrink-0 text-right">
        {row.reach === 0 ? (
          <span className="font-medium text-bad">reaches nothing</span>
        ) : (
          <>
            {count(row.reach)} <span className="text-quiet">{row.reach === 1 ? "product" : "products"}</span>
          </>
        )}
        {row.flags > 0 && (
          <Link
            to={addressOf("/flags", params, { q: row.rule.code })}
            className="block text-[12px] font-medium text-bad underline underline-offset-2"
          >
            {row.flags === 1 ? "flagged" : `${row.flags} flags`}
          </Link>
        )}
        {why && <WhyNot code={rule.code} onClose={() => setWhy(false)} />}
      </div>
      <div className="w-[148px] shrink-0" data-testid="state">
        <span className={row.state === "on" ? "font-medium text-good" : "text-quiet"}>{standingWords(row, now)}</span>
      </div>
      <Switch.Root
        disabled={!may}
        checked={(rule.status ?? "on") === "on"}
        onCheckedChange={(on) => flip.mutate(on ? "on" : "off", { onError: fail })}
        aria-label={`${name} is on`}
        className="h-[18px] w-8 shrink-0 rounded-full border border-ink/60 bg-paper p-px data-[state=checked]:bg-ink"
      >
        <Switch.Thumb className="block h-[14px] w-[14px] rounded-full bg-ink transition-transform data-[state=checked]:translate-x-[14px] data-[state=checked]:bg-paper" />
      </Switch.Root>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button look="bare" aria-label={`More for ${name}`}>
            <MoreHorizontal size={16} aria-hidden />
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="z-40 min-w-44 rounded-[4px] border border-ink/40 bg-sheet p-1 shadow-xl"
          >
            <DropdownMenu.Item className={item} onSelect={() => void navigate(edit)}>
              Edit
            </DropdownMenu.Item>
            {may && (
              <DropdownMenu.Item className={item} onSelect={() => void navigate(copy)}>
                Copy
              </DropdownMenu.Item>
            )}
            {may && (
              <DropdownMenu.Item className={item} onSelect={() => setCopying(true)}>
                Copy to another time …
              </DropdownMenu.Item>
            )}
            {may && row.state !== "on" && (
              <DropdownMenu.Item className={item} onSelect={() => start.mutate(undefined, { onError: fail })}>
                Start now
              </DropdownMenu.Item>
            )}
            <DropdownMenu.Item
              className={item}
              onSelect={() => void navigate(addressOf("/board", params, { rule: code }))}
            >
              Show its products
            </DropdownMenu.Item>
            {!rule.offer && !rule.order && (
              <DropdownMenu.Item className={item} onSelect={() => setWhy(true)}>
                Why not at work?
              </DropdownMenu.Item>
            )}
            {may && (
              <>
                <DropdownMenu.Separator className="my-1 border-t" />
                <DropdownMenu.Item
                  className={`${item} text-bad`}
                  onSelect={() => remove.mutate(undefined, { onError: fail })}
                >
                  Delete
                </DropdownMenu.Item>
              </>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {copying && <CopyDialog of={{ rules: [code] }} onClose={() => setCopying(false)} />}
    </li>
  );
}
