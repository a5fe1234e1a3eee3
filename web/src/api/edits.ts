import { api, take, type EditChange, type Seen } from "./client";
import { useSave } from "./saving";

/** Saves changes of the book together. */
export const useEdit = (done?: () => void) =>
  useSave(
    (edit: { changes: EditChange[]; summary?: string }, seen: Seen) =>
      take(api.POST("/api/edit", { params: { header: seen }, body: edit })),
    done,
  );
