import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import type { ApiError } from "../../api/errors";
import { refreshCollection } from "../../api/records";
import { useTell } from "../../ui/messages";

/** Offers, beside what a message tells, to take it back: `work` does that, and gives what is told then. */
export function useUndo(collection: string): (text: string, work: () => Promise<string>) => void {
  const client = useQueryClient();
  const tell = useTell();
  return useCallback(
    (text, work) => {
      const run = async () => {
        try {
          tell(await work());
        } catch (error) {
          tell((error as ApiError).message, { severity: "error" });
        }
        await refreshCollection(client, collection);
      };
      tell(text, { action: { label: "Undo", run: () => void run() } });
    },
    [client, collection, tell],
  );
}
