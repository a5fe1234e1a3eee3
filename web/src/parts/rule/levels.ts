import { useFacets } from "../../api/board";
import { useNames } from "../../lib/names";
import { levelWords } from "../../lib/sentence";

/** The price levels that a rule may name, in words; among them the one that it names already, whosever that is. */
export function useLevels(chosen: string): (readonly [string, string])[] {
  const { data: facets } = useFacets();
  const names = useNames();
  const levels = facets?.levels ?? [];
  return [...levels, ...(chosen && !levels.includes(chosen) ? [chosen] : [])].map((l) => [l, levelWords(l, names)]);
}
