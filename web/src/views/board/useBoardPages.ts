import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { api, take, type BoardRow } from "../../api/client";
import { viewpointQuery, type Viewpoint } from "../../api/queries";

export interface BoardFilter {
  q: string;
  category: string;
  show: "all" | "reduced" | "changed" | "below-cost" | "no-price";
  rule: string;
  against: string;
  /** Percent spans, "MIN:MAX". */
  margin: string;
  change: string;
  sort: "category" | "sku" | "name" | "list" | "price" | "margin" | "margin-amount" | "change" | "stock" | "sold";
  desc: boolean;
  spread: "" | "group" | "quantity" | "channel" | "changes";
}

export const noFilter: BoardFilter = {
  q: "",
  category: "",
  show: "all",
  rule: "",
  against: "",
  margin: "",
  change: "",
  sort: "category",
  desc: false,
  spread: "",
};

/** The filter that the address names. */
export const readFilter = (params: URLSearchParams): BoardFilter => ({
  q: params.get("q") ?? "",
  category: params.get("category") ?? "",
  show: (params.get("show") as BoardFilter["show"] | null) ?? "all",
  rule: params.get("rule") ?? "",
  against: params.get("against") ?? "",
  margin: params.get("margin") ?? "",
  change: params.get("change") ?? "",
  sort: (params.get("sort") as BoardFilter["sort"] | null) ?? "category",
  desc: params.get("desc") === "true",
  spread: (params.get("spread") as BoardFilter["spread"] | null) ?? "",
});

/** The part of a filter that says which products, for questions about all of them. */
export const filterQuery = (viewpoint: Viewpoint, f: BoardFilter) => ({
  ...viewpointQuery(viewpoint),
  q: f.q,
  category: f.category,
  show: f.show,
  rule: f.rule,
  against: f.against,
  margin: f.margin,
  change: f.change,
});

const pageSize = 100;

/** The pages of the board that hold the rows in sight; the server sorts, filters and pages. */
export function useBoardPages(viewpoint: Viewpoint, filter: BoardFilter, first: number, last: number, ready: boolean) {
  const pages: number[] = [];
  for (let p = Math.floor(first / pageSize); p <= Math.floor(last / pageSize); p++) pages.push(p);
  if (!pages.includes(0)) pages.push(0);
  const found = useQueries({
    queries: pages.map((p) => ({
      queryKey: ["book", "board", viewpoint, filter, p],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        take(
          api.GET("/api/board", {
            params: { query: { ...viewpointQuery(viewpoint), ...filter, start: p * pageSize, limit: pageSize } },
            signal,
          }),
        ),
      enabled: ready,
      placeholderData: keepPreviousData,
      retry: 1,
    })),
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
