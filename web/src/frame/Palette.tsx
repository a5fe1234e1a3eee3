import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useRules } from "../api/rules";
import { carried } from "../lib/address";
import { useViewpoint } from "../lib/viewpoint";
import { findQuery } from "../api/board";
import { LayerMark } from "../ui/layer-mark";
import { toggleTheme } from "../lib/theme";

const item = "flex cursor-pointer items-center gap-2 rounded-[3px] px-2 py-1.5 data-[selected=true]:bg-wash";

/** Finds products and rules, goes to views, does what has no better place. */
export function Palette({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const [words, setWords] = useState("");
  const { params, set, viewpoint } = useViewpoint();
  const navigate = useNavigate();
  const { data: rules } = useRules();
  const { data: found } = useQuery({
    ...findQuery(words, viewpoint.channel, 8),
    enabled: open && words.length > 1,
  });
  const go = (to: string) => {
    onOpenChange(false);
    setWords("");
    void navigate(to + carried(params));
  };
  const has = (text: string) => text.toLowerCase().includes(words.toLowerCase());
  const actions: [string, () => void][] = [
    ["Go to the Board", () => go("/board")],
    ["Go to the Stack", () => go("/stack")],
    ["Go to the Calendar", () => go("/calendar")],
    ["Try a basket", () => go("/basket")],
    ["Look at the codes of offers", () => go("/catalogue/codes")],
    ["Go to the Flags", () => go("/flags")],
    ["Go to Publish", () => go("/publish")],
    ["Go to the Catalogue", () => go("/catalogue")],
    ["New sale rule", () => go("/stack/new")],
    ["Import a file", () => go("/catalogue/import")],
    ["Ranges of goods", () => go("/catalogue/ranges")],
    ["Ladders of quantity breaks", () => go("/catalogue/ladders")],
    ["Campaigns", () => go("/catalogue/campaigns")],
    ["Customers and agreed prices", () => go("/catalogue/customers")],
    ["Channels", () => go("/catalogue/channels")],
    ["Exchange rates, taxes and guards", () => go("/catalogue/settings")],
    ["Checks", () => go("/catalogue/checks")],
    ["Switch between light and dark", () => (toggleTheme(), onOpenChange(false))],
  ];
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          className="fixed top-[12vh] left-1/2 z-50 w-[640px] max-w-[92vw] -translate-x-1/2 rounded-[5px] border border-ink/40 bg-sheet shadow-2xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="sr-only">Find or do</Dialog.Title>
          <Command label="Find or do" shouldFilter={false}>
            <Command.Input
              value={words}
              onValueChange={setWords}
              placeholder="A product, a SKU, a rule, or what to do"
              className="w-full border-b bg-transparent px-4 py-3 text-[16px] outline-none"
            />
            <Command.List className="max-h-[52vh] overflow-auto p-1.5">
              <Command.Empty className="px-3 py-4 text-quiet">Nothing by that name.</Command.Empty>
              {found && words.length > 1 && found.rows.length > 0 && (
                <Command.Group heading="Products">
                  {found.rows.map((r) => (
                    <Command.Item
                      key={r.sku}
                      value={"p " + r.sku}
                      className={item}
                      onSelect={() => {
                        onOpenChange(false);
                        setWords("");
                        set({ sku: r.sku, trail: "open" });
                      }}
                    >
                      <span className="truncate">{r.name}</span> <span className="ml-auto text-quiet">{r.sku}</span>
                    </Command.Item>
                  ))}
                </Command.Group>
              )}
              <Command.Group heading="Rules">
                {(rules ?? [])
                  .filter((r) => words.length > 0 && has(`${r.rule.name ?? ""} ${r.rule.code}`))
                  .slice(0, 8)
                  .map((r) => (
                    <Command.Item
                      key={r.rule.code}
                      value={"r " + r.rule.code}
                      className={item}
                      onSelect={() => go(`/stack/rule/${encodeURIComponent(r.rule.code)}`)}
                    >
                      <LayerMark layer={r.rule.layer} /> {r.rule.name ?? r.rule.code}{" "}
                      <span className="ml-auto text-quiet">{r.rule.code}</span>
                    </Command.Item>
                  ))}
              </Command.Group>
              <Command.Group heading="Do">
                {actions
                  .filter(([name]) => has(name))
                  .map(([name, act]) => (
                    <Command.Item key={name} value={"a " + name} className={item} onSelect={act}>
                      {name}
                    </Command.Item>
                  ))}
              </Command.Group>
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
