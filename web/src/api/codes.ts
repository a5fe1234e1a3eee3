import { keepPreviousData, queryOptions, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { api, take, type Schema } from "./client";

export const codeOffersQuery = queryOptions({
  queryKey: ["book", "codes"],
  queryFn: () => take(api.GET("/api/codes")),
});

/** The offers that want a code. */
export const useCodeOffers = () => useQuery(codeOffersQuery);

/** An offer's words beside the book, a page at a time. */
export const useCodes = (rule: string, holding: string, used: boolean) =>
  useInfiniteQuery({
    queryKey: ["book", "codes", rule, "words", holding, used],
    queryFn: ({ pageParam }) =>
      take(
        api.GET("/api/codes/{rule}", {
          params: { path: { rule }, query: { q: holding, used, after: pageParam, limit: 100 } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (page) => page.next,
    placeholderData: keepPreviousData,
  });

/** Who used an offer, or one of its words, newest first. */
export const useCodeUses = (rule: string, word: string) =>
  useQuery({
    queryKey: ["book", "codes", rule, "uses", word],
    queryFn: () => take(api.GET("/api/codes/{rule}/uses", { params: { path: { rule }, query: { word } } })),
  });

export const makeCodes = (rule: string, body: Schema["MakeCodes"]) =>
  take(api.POST("/api/codes/{rule}/made", { params: { path: { rule } }, body }));

export const addCodes = (rule: string, text: string) =>
  take(api.POST("/api/codes/{rule}", { params: { path: { rule } }, body: { text } }));

export const dropCodes = (rule: string, word: string[]) =>
  take(api.DELETE("/api/codes/{rule}", { params: { path: { rule }, query: { word } } }));

/** Where an offer's words are had as a CSV file. */
export const codesFile = (rule: string) => `/api/codes/${encodeURIComponent(rule)}/file`;
