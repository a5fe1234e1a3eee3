import { useQuery } from "@tanstack/react-query";
import { api, take } from "./client";

export const useFlags = () =>
  useQuery({
    queryKey: ["book", "flags"],
    queryFn: () => take(api.GET("/api/flags")),
    refetchInterval: (q) => (q.state.data?.searching ? 300 : false),
  });
