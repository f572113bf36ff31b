import { undo } from "../../api/history";
import { useTell } from "../../ui/messages";
import { useUndo } from "./useUndo";

/** Tells what was done to many records at once, and offers to take it back. */
export function useUndoMany(collection: string): (text: string, batch: string | null) => void {
  const tell = useTell();
  const offer = useUndo(collection);
  return (text, batch) => {
    if (batch === null) {
      tell(text);
      return;
    }
    offer(text, async () => {
      const found = await undo({ batch, each: true });
      const left = found.refused > 0 ? `, ${found.refused} left as they are` : "";
      return `Undone: ${found.undone} changes${left}.`;
    });
  };
}
