import type { Imported } from "../../api/files";

/** Rows that a sentence names. */
const NAMED = 5;

/** Which rows are of the same record as an earlier one: the first of them by number, the others by count. */
export function repeatsIn({ repeats, repeated }: Pick<Imported, "repeats" | "repeated">): string {
  if (repeated === 0) return "";
  const named = repeats.slice(0, NAMED).map(({ row, earlier }) => `row ${row} is of the same record as row ${earlier}`);
  const more = repeated - named.length;
  const others = more > 0 ? `, and ${more} more ${more === 1 ? "repeats" : "repeat"} an earlier one` : "";
  return `${named.join(", ")}${others}. The later row has the last word.`.replace(/^r/, "R");
}

type Counts = Pick<Imported, "created" | "updated" | "unchanged" | "refused">;

/** What became of the rows, or would: only what there is any of. */
export function countsIn(found: Counts, foreseen: boolean): string {
  const verb = (count: number) => (foreseen ? "would be" : count === 1 ? "was" : "were");
  const parts = [
    [found.created, "created"],
    [found.updated, "brought up to date"],
    [found.refused, "refused"],
  ] as const;
  const told: string[] = parts.filter(([count]) => count > 0).map(([count, words]) => `${count} ${verb(count)} ${words}`);
  if (found.unchanged > 0) told.push(`${found.unchanged} ${found.unchanged === 1 ? "is" : "are"} as in the file already`);
  return told.join(", ") || "none would change anything";
}
