import type { Page } from "../../api/types";

/** A page of a list by its number, from 1. */
export interface Part {
  number: number;
  page: Page;
}

/** The numbers of the first and the last page that are shown below each other. */
export interface Span {
  first: number;
  last: number;
}

/** As many pages are held, so that a list of any length can be scrolled through. */
export const MOST_PAGES = 3;

/** One page more at an end; where that is too many, one less at the other. */
export function longer({ first, last }: Span, end: "above" | "below"): Span {
  if (end === "below") return { first: Math.max(first, last + 2 - MOST_PAGES), last: last + 1 };
  return { first: first - 1, last: Math.min(last, first - 2 + MOST_PAGES) };
}

/** Pages that follow each other as one. A record that has just moved from one to the next is there once. */
export function joined(parts: Part[]): Page | undefined {
  const [only] = parts;
  if (only === undefined || parts.length === 1) return only?.page;
  const items: Page["items"] = [];
  const writable: string[][] = [];
  const labels: NonNullable<Page["labels"]> = {};
  const there = new Set<string>();
  for (const { page } of parts) {
    page.items.forEach((row, place) => {
      if (there.has(row.id)) return;
      there.add(row.id);
      items.push(row);
      writable.push([...(page.writable?.[place] ?? [])]);
    });
    for (const [name, told] of Object.entries(page.labels ?? {})) labels[name] = { ...labels[name], ...told };
  }
  return { ...only.page, items, writable, labels, next: parts.at(-1)?.page.next ?? null };
}

/** What was shown, with pages that are shown newly before or behind it; null where nothing of it is shown still. */
export function widened(shown: Page["items"], before: Span, parts: Part[]): Page["items"] | null {
  const kept = parts.filter(({ number }) => number >= before.first && number <= before.last);
  if (kept.length === 0) return null;
  const there = new Set(shown.map((row) => row.id));
  const fresh = (which: (number: number) => boolean) =>
    parts.filter(({ number }) => which(number)).flatMap(({ page }) => page.items.filter((row) => !there.has(row.id)));
  return [...fresh((number) => number < before.first), ...shown, ...fresh((number) => number > before.last)];
}
