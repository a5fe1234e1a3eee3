import { useQueries } from "@tanstack/react-query";
import { boardQuery } from "../../api/board";
import type { BoardRow } from "../../api/client";
import type { Viewpoint } from "../../api/viewpoint";
import type { BoardFilter } from "../../lib/address";

const pageSize = 100;

/** The pages of the board that hold the rows in sight; the server sorts, filters and pages. */
export function useBoardPages(viewpoint: Viewpoint, filter: BoardFilter, first: number, last: number, ready: boolean) {
  const pages: number[] = [];
  for (let p = Math.floor(first / pageSize); p <= Math.floor(last / pageSize); p++) pages.push(p);
  if (!pages.includes(0)) pages.push(0);
  const found = useQueries({
    queries: pages.map((p) => ({ ...boardQuery(viewpoint, filter, p * pageSize, pageSize), enabled: ready })),
  });
  const at = new Map(pages.map((p, i) => [p, found[i]]));
  const head = at.get(0);
  const row = (i: number): BoardRow | undefined => {
    const page = at.get(Math.floor(i / pageSize))?.data;
    return page && page.start <= i ? page.rows[i - page.start] : undefined;
  };
  return {
    total: head?.data?.total ?? 0,
    columns: head?.data?.columns ?? [],
    row,
    error: head?.error,
    loading: !head?.data,
    refetch: () => void head?.refetch(),
  };
}
