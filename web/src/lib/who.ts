import { useItems } from "../api/items";

/** Names people by "group:CODE" or "customer:CODE". */
export function useWhoNames(): (who: string) => string {
  const { data: groups } = useItems("groups");
  const { data: customers } = useItems("customers");
  return (who) => {
    const [kind, code = ""] = who.split(":");
    return (kind === "group" ? groups : customers)?.find((i) => i.code === code)?.name || code;
  };
}
