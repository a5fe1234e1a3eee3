import {
  DndContext,
  KeyboardSensor,
  PointerSensor,
  closestCenter,
  useSensor,
  useSensors,
  type DragEndEvent,
} from "@dnd-kit/core";
import {
  SortableContext,
  arrayMove,
  sortableKeyboardCoordinates,
  verticalListSortingStrategy,
} from "@dnd-kit/sortable";
import { Plus } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { orderRules } from "../../api/rules";
import { useSave } from "../../api/saving";
import { useMay } from "../../api/session";
import { addressOf, carried } from "../../lib/address";
import { useViewpoint } from "../../lib/viewpoint";
import { type Layer, type RuleRow } from "../../api/client";
import { layerColour, layerNames, modeWords } from "../../lib/layers";
import { Button } from "../../ui/button";
import { LayerMark } from "../../ui/layer-mark";
import { useFailed } from "../../ui/toasts";
import type { Names } from "../../lib/sentence";
import { RuleLine } from "./RuleLine";
import { forget, useUnfinished } from "./unfinished";

interface Props {
  layer: Layer;
  mode: string;
  rules: RuleRow[];
  seen: (r: RuleRow) => boolean;
  filtered: boolean;
  names: Names;
  ticked: Set<string>;
  onTick: (code: string, on: boolean) => void;
  now: string;
}

/** One layer: how its rules share the work, and the rules by rank, which are dragged or moved with Alt and the arrows. */
export function Band({ layer, mode, rules, seen, filtered, names, ticked, onTick, now }: Props) {
  const may = useMay("manager");
  const { params } = useViewpoint();
  const navigate = useNavigate();
  const fail = useFailed();
  const [said, setSaid] = useState("");
  // While a new order is on its way the rules stand in it already.
  const [pending, setPending] = useState<string[] | null>(null);
  const save = useSave((order: { moved: string; codes: string[] }, seen) => orderRules({ layer, ...order }, seen));
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const byCode = new Map(rules.map((r) => [r.rule.code, r]));
  const ordered =
    pending?.length === rules.length && pending.every((c) => byCode.has(c))
      ? pending.flatMap((c) => byCode.get(c) ?? [])
      : rules;
  const shown = ordered.filter(seen);
  const move = (from: number, to: number) => {
    const row = ordered[from];
    if (!row || to < 0 || to >= ordered.length || from === to) return;
    const codes = arrayMove(ordered, from, to).map((r) => r.rule.code);
    setPending(codes);
    setSaid(`${row.rule.name ?? row.rule.code}, now number ${to + 1} of ${codes.length}`);
    save.mutate({ moved: row.rule.code, codes }, { onError: fail, onSettled: () => setPending(null) });
  };
  const unfinished = useUnfinished().filter((u) => u.layer === layer);
  const index = (code: unknown) => ordered.findIndex((r) => r.rule.code === code);
  const dragged = (e: DragEndEvent) => e.over && move(index(e.active.id), index(e.over.id));
  return (
    <section
      aria-label={`${layerNames[layer]} layer`}
      className="mb-7"
      style={{ borderLeft: `5px solid ${layerColour[layer]}` }}
    >
      <div className="flex items-center gap-2.5 border-b border-ink/50 pb-1.5 pl-3">
        <LayerMark layer={layer} size={15} />
        <h2 className="text-[16px]">{layerNames[layer]}</h2>
        <p className="text-quiet">
          {modeWords[mode] ?? mode}
          {filtered && shown.length === 0 && <b className="ml-3 font-medium">no rule of this layer fits</b>}
        </p>
        {may && (
          <Button className="ml-auto" onClick={() => void navigate(`/stack/new${withLayer(carried(params), layer)}`)}>
            <Plus size={14} aria-hidden /> New {layerNames[layer].toLowerCase()} rule
          </Button>
        )}
      </div>
      <DndContext sensors={sensors} collisionDetection={closestCenter} onDragEnd={dragged}>
        <SortableContext
          items={shown.map((r) => r.rule.code)}
          strategy={verticalListSortingStrategy}
          disabled={filtered || !may}
        >
          <ol>
            {shown.map((r) => (
              <RuleLine
                key={r.rule.code}
                row={r}
                place={index(r.rule.code)}
                now={now}
                names={names}
                ticked={ticked.has(r.rule.code)}
                onTick={(on) => onTick(r.rule.code, on)}
                canMove={!filtered && may}
                onMove={(direction) => move(index(r.rule.code), index(r.rule.code) + direction)}
              />
            ))}
          </ol>
        </SortableContext>
      </DndContext>
      {unfinished.map((u) => (
        <p
          key={u.key}
          className="flex items-baseline gap-3 border-b border-dashed py-1.5 pl-4"
          data-testid="unfinished"
        >
          <span className="rounded-full border border-dashed border-ink/50 px-2 text-[13px]">unfinished</span>
          <Link
            className="font-medium underline underline-offset-2"
            to={addressOf("/stack/new", params, { layer: u.began.layer, ...(u.began.copy && { copy: u.began.copy }) })}
          >
            {u.name || "A new rule without a name"}
          </Link>
          <Button look="bare" onClick={() => forget(u)}>
            Let go
          </Button>
        </p>
      ))}
      {shown.length === 0 && !filtered && (
        <p className="px-4 py-4 text-quiet">No rules yet. Without any, prices pass through this layer as they are.</p>
      )}
      <span className="sr-only" aria-live="assertive">
        {said}
      </span>
    </section>
  );
}

const withLayer = (query: string, layer: string) => `${query}${query ? "&" : "?"}layer=${layer}`;
