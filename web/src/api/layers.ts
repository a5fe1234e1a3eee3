import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, take, type Schema, type Seen } from "./client";

type Layers = Schema["LayersForm"];

export const layersImpactQuery = (body: Layers) =>
  queryOptions({
    queryKey: ["book", "layers", body],
    queryFn: () => take(api.POST("/api/stack/preview", { body })),
    placeholderData: keepPreviousData,
  });

export const saveLayers = (body: Layers, seen: Seen) => take(api.PUT("/api/stack", { params: { header: seen }, body }));
