import { useFacets } from "../../api/board";
import { useNames } from "../../lib/names";
import { levelWords } from "../../lib/sentence";

/**
 * The price levels that a rule may name, by their names; among them the one that it names already, also where that
 * holds what was agreed with a customer, in words.
 */
export function useLevels(chosen: string): (readonly [string, string])[] {
  const { data: facets } = useFacets();
  const names = useNames();
  const levels = facets?.levels ?? [];
  return [
    ...levels.map((l) => [l, l] as const),
    ...(chosen && !levels.includes(chosen) ? [[chosen, levelWords(chosen, names)] as const] : []),
  ];
}
