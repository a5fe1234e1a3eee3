import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, take } from "./client";

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: () => take(api.GET("/api/session")),
  staleTime: 60_000,
});

export const useSession = () => useQuery(sessionQuery);

const rolesInOrder = ["reader", "manager", "approver", "administrator"];

/** Whether the person signed in may do what needs a role. */
export function useMay(needs: "manager" | "approver" | "administrator"): boolean {
  const { data } = useSession();
  return rolesInOrder.indexOf(data?.role ?? "") >= rolesInOrder.indexOf(needs);
}

export const signIn = (who: { name: string; password: string }) => take(api.POST("/api/session", { body: who }));

export const signOut = () => take(api.DELETE("/api/session"));

export const changePassword = (body: { old: string; new: string }) => take(api.POST("/api/password", { body }));
