import { useCallback, useMemo } from "react";
import { useItems } from "../api/items";
import { whoName, type Names } from "./sentence";

/** What the codes of the book are called, once it was read. */
export function useNames(): Names {
  const { data: groups } = useItems("groups");
  const { data: customers } = useItems("customers");
  const { data: ranges } = useItems("ranges");
  const { data: ladders } = useItems("ladders");
  const { data: campaigns } = useItems("campaigns");
  const { data: channels } = useItems("channels");
  const all = useMemo(() => {
    const lists = { groups, customers, ranges, ladders, campaigns, channels };
    return Object.fromEntries(
      Object.entries(lists).map(([kind, list]) => [kind, new Map(list?.map((i) => [i.code, i.name]))]),
    );
  }, [groups, customers, ranges, ladders, campaigns, channels]);
  return useCallback((kind, code) => all[kind]?.get(code) || code, [all]);
}

/** Names people by "group:CODE" or "customer:CODE". */
export function useWhoNames(): (who: string) => string {
  const names = useNames();
  return (who) => whoName(who, names);
}
