import { expect, it } from "vitest";
import type { Page } from "../../api/types";
import { joined, longer, widened } from "./window";

const page = (text: string, next: string | null = null) =>
  ({
    items: Array.from(text).map((id) => ({ id, version: 1 })),
    writable: Array.from(text).map((id) => [id]),
    labels: { of: Object.fromEntries(Array.from(text).map((id) => [id, id.toUpperCase()])) },
    next,
  }) as unknown as Page;
const ids = (items: { id: string }[] | null | undefined) => items?.map((one) => one.id).join("");

it.each([
  [{ first: 1, last: 1 }, "below", { first: 1, last: 2 }],
  [{ first: 1, last: 2 }, "below", { first: 1, last: 3 }],
  [{ first: 1, last: 3 }, "below", { first: 2, last: 4 }],
  [{ first: 7, last: 7 }, "above", { first: 6, last: 7 }],
  [{ first: 5, last: 7 }, "above", { first: 4, last: 6 }],
] as const)("no more than three pages are held: %j, %s", (span, end, then) => {
  expect(longer(span, end)).toEqual(then);
});

it("pages are one, and a record that is in two of them is there once", () => {
  const found = joined([
    { number: 2, page: page("abc", "c") },
    { number: 3, page: page("cde", "e") },
  ]);
  expect(ids(found?.items)).toBe("abcde");
  expect(found?.writable).toEqual([["a"], ["b"], ["c"], ["d"], ["e"]]);
  expect(found?.labels).toEqual({ of: { a: "A", b: "B", c: "C", d: "D", e: "E" } });
  expect(found?.next).toBe("e");
  expect(joined([])).toBeUndefined();
});

it("what was shown stays, with pages before and behind it, in the order it was shown in", () => {
  const shown = page("dc").items;
  const parts = [
    { number: 1, page: page("ab") },
    { number: 2, page: page("cd") },
    { number: 3, page: page("ef") },
  ];
  expect(ids(widened(shown, { first: 2, last: 2 }, parts))).toBe("abdcef");
  expect(widened(shown, { first: 9, last: 9 }, parts)).toBeNull();
});
