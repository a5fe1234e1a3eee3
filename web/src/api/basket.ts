import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { BasketLine } from "../lib/address";
import { api, take } from "./client";
import { viewpointQuery, type Viewpoint } from "./viewpoint";

export interface BasketAsked {
  lines: BasketLine[];
  codes: string[];
  shipping: string;
  /** The lines before the last change, where that is to be told. */
  before: BasketLine[] | null;
}

/** What goods cost together, with all that explains it. The last answer stays until the next. */
export const useBasket = (v: Viewpoint, asked: BasketAsked, ready: boolean) =>
  useQuery({
    queryKey: ["book", "basket", v, asked],
    queryFn: ({ signal }) =>
      take(
        api.POST("/api/basket", {
          params: { query: viewpointQuery({ ...v, quantity: 1 }) },
          body: {
            lines: asked.lines,
            codes: asked.codes,
            ...(asked.shipping.trim() && { shipping: asked.shipping.trim() }),
            ...(asked.before && { before: asked.before }),
          },
          signal,
        }),
      ),
    enabled: ready,
    placeholderData: keepPreviousData,
    retry: false,
  });
