import { useQueryClient } from "@tanstack/react-query";
import type { ApiError } from "../../api/errors";
import { undo } from "../../api/history";
import { refreshCollection } from "../../api/records";
import { useTell } from "../../ui/messages";

/** Tells what was done to many records at once, and offers to take it back. */
export function useUndoMany(collection: string): (text: string, batch: string | null) => void {
  const client = useQueryClient();
  const tell = useTell();
  const takeBack = async (batch: string) => {
    try {
      const found = await undo({ batch, each: true });
      const left = found.refused > 0 ? `, ${found.refused} left as they are` : "";
      tell(`Undone: ${found.undone} changes${left}.`);
    } catch (error) {
      tell((error as ApiError).message, { severity: "error" });
    }
    await refreshCollection(client, collection);
  };
  return (text, batch) => tell(text, batch === null ? {} : { action: { label: "Undo", run: () => void takeBack(batch) } });
}
