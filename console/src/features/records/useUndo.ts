import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import type { ApiError } from "../../api/errors";
import { undo, undoRequest } from "../../api/history";
import { refreshCollection } from "../../api/records";
import { useTell } from "../../ui/messages";

interface Undoing {
  /** Tells what was done to a record, and offers to take it back; `then` is told once it is. */
  one: (text: string, key: string, request: string, then: string) => void;
  /** The same of what was done to many at once. */
  many: (text: string, batch: string | null) => void;
}

/** Tells what was done to records of a collection, and offers to take back just that. */
export function useUndo(collection: string): Undoing {
  const client = useQueryClient();
  const tell = useTell();
  const offer = useCallback(
    (text: string, work: () => Promise<string>) => {
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
  return {
    one: (text, key, request, then) =>
      offer(text, async () => {
        const undone = await undoRequest(collection, key, request);
        return undone ? then : `Nothing of ${key} was changed by that, so there is nothing to take back.`;
      }),
    many: (text, batch) => {
      if (batch === null) tell(text);
      else
        offer(text, async () => {
          const found = await undo({ batch, each: true });
          return `Undone: ${found.undone} changes${found.refused > 0 ? `, ${found.refused} left as they are` : ""}.`;
        });
    },
  };
}
