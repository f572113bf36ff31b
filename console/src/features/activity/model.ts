import type { Activity } from "../../api/history";
import type { Entry } from "../../api/types";

/** What was saved together: a batch, or one save with what followed from it. */
export interface Group {
  batch: string | null;
  entries: [Entry, ...Entry[]];
}

/** Entries, newest first, with those beside each other that were saved together in one group. */
export function grouped(entries: Entry[]): Group[] {
  const groups: Group[] = [];
  for (const entry of entries) {
    const last = groups.at(-1);
    const together = last !== undefined && (belongs(last.batch, entry) || followsFrom(entry, last.entries));
    if (together) last.entries.push(entry);
    else groups.push({ batch: entry.batch, entries: [entry] });
  }
  return groups;
}

const belongs = (batch: string | null, entry: Entry) => batch !== null && entry.batch === batch;

/** Whether the entry is what those before it followed from, or stands between: what follows stands right behind. */
const followsFrom = (entry: Entry, entries: Entry[]) => {
  const causes = entries.flatMap((one) => (one.cause === null ? [] : [one.cause]));
  return causes.some((cause) => cause <= entry.sequence);
};

/** Series that a picture can still tell apart; the rest are shown as one. */
const MOST = 7;

/** The busiest series, most first, and all others together. */
export function busiest(series: Activity["series"]): Activity["series"] {
  const total = (one: Activity["series"][number]) => one.counts.reduce((sum, count) => sum + count, 0);
  const sorted = [...series].sort((one, other) => total(other) - total(one));
  const rest = sorted.slice(MOST);
  if (rest.length === 0) return sorted;
  const counts = (rest[0]?.counts ?? []).map((_, day) => rest.reduce((sum, one) => sum + (one.counts[day] ?? 0), 0));
  return [...sorted.slice(0, MOST), { name: "others", counts }];
}
