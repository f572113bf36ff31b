import type { Entry } from "../api/types";

export type Run = [Entry, ...Entry[]];

/** Entries in runs: those that are merely derived and stand together in one, every other by itself. */
export function folded(entries: Entry[]): Run[] {
  const runs: Run[] = [];
  for (const entry of entries) {
    const last = runs.at(-1);
    if (last !== undefined && entry.action === "derive" && last[0].action === "derive") last.push(entry);
    else runs.push([entry]);
  }
  return runs;
}
