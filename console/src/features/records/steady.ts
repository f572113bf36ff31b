import type { Row } from "../../api/types";

/** What of a page is shown while others change it: nothing jumps under the pointer. */
export interface Steady {
  rows: Row[];
  /** Records that would stand between those that are shown, or before them. */
  fresh: number;
  /** Whether those that are shown would stand in another order. */
  moved: boolean;
  /** The ids of rows that were changed, or came. */
  changed: string[];
}

/** Those shown before, as they are now and where they were; what comes behind all of them is added. */
export function steadied(shown: Row[], now: Row[]): Steady {
  const found = new Map(now.map((row) => [row.id, row]));
  const before = new Map(shown.map((row) => [row.id, row]));
  const rows = shown.flatMap((row) => found.get(row.id) ?? []);
  const kept = now.filter((row) => before.has(row.id));
  const last = now.findLastIndex((row) => before.has(row.id));
  // Of a page that is all new there is nothing to keep in its place.
  const behind = now.slice(last + 1);
  const changed = [...rows.filter((row) => row.version !== before.get(row.id)?.version), ...behind];
  return {
    rows: [...rows, ...behind],
    fresh: now.length - kept.length - behind.length,
    moved: kept.some((row, place) => row.id !== rows[place]?.id),
    changed: changed.map((row) => row.id),
  };
}
