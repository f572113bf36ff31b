import type { Imported } from "../../api/files";

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
