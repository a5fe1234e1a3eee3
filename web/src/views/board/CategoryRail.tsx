import { useRef } from "react";
import { useCategories } from "../../api/board";
import { useViewpoint } from "../../lib/viewpoint";
import { count, counted } from "../../lib/format";
import { useOneTabStop } from "../../ui/one-stop";
import { Tip } from "../../ui/tip";

/** The categories with how many products, their mean margin and where there is trouble. */
export function CategoryRail() {
  const { viewpoint, params, set, ready } = useViewpoint();
  const { data } = useCategories(viewpoint);
  const list = useRef<HTMLElement>(null);
  useOneTabStop(list, "button");
  const chosen = params.get("category") ?? "";
  return (
    <nav
      ref={list}
      aria-label="Categories"
      className={`w-[208px] shrink-0 overflow-y-auto border-r py-1.5 max-[1100px]:hidden ${params.get("trail") === "open" ? "max-[1480px]:hidden" : ""}`}
    >
      <div className="flex px-3 pb-1 text-[12px] text-quiet">
        <span>Category</span>
        <span className="ml-auto">margin</span>
      </div>
      {ready &&
        data?.categories.map((c) => (
          <button
            key={c.path}
            type="button"
            aria-current={c.path === chosen ? "true" : undefined}
            onClick={() => set({ category: c.path || null })}
            className={`flex w-full items-baseline gap-1.5 py-[3px] pr-3 text-left ${c.path === chosen ? "bg-ink text-paper" : "hover:bg-wash"}`}
            style={{ paddingLeft: 12 + Math.max(0, c.depth - 1) * 14 }}
          >
            <span className={`truncate ${c.depth < 2 ? "font-medium" : ""}`}>
              {c.path === "" ? "Everything" : c.name}
            </span>
            <span className="text-[12px] opacity-70">{count(c.count)}</span>
            {c.flags > 0 && (
              <Tip text={`${counted(c.flags, "product")} below cost or without a price`}>
                <span className="rounded-full bg-bad px-1 text-[11px] leading-4 text-paper">{c.flags}</span>
              </Tip>
            )}
            <span className="ml-auto text-[12px]">{c.margin === null ? "–" : `${c.margin} %`}</span>
          </button>
        ))}
    </nav>
  );
}
