import { expect, it } from "vitest";
import type { Row } from "../../api/types";
import { steadied } from "./steady";

const row = (id: string, version = 1) => ({ id, version }) as Row;
const rows = (text: string) => Array.from(text).map((id) => row(id));
const ids = (found: Row[]) => found.map((one) => one.id).join("");

const CASES: [string, string, string, number, boolean][] = [
  // shown, now, what is shown then, how many are new elsewhere, whether the order moved
  ["abc", "abc", "abc", 0, false],
  ["abc", "ab", "ab", 0, false],
  ["abc", "abcd", "abcd", 0, false],
  ["abc", "xabc", "abc", 1, false],
  ["abc", "xaybcz", "abcz", 2, false],
  ["abc", "cab", "abc", 0, true],
  ["abc", "xyz", "xyz", 0, false],
  ["", "ab", "ab", 0, false],
  ["ab", "", "", 0, false],
];

it.each(CASES)("rows stay where they are, and what would stand between them is counted: %s, then %s", (...one) => {
  const [shown, now, then, fresh, moved] = one;
  const found = steadied(rows(shown), rows(now));
  expect([ids(found.rows), found.fresh, found.moved]).toEqual([then, fresh, moved]);
});

it("a row that was changed is marked, and so is one that came", () => {
  const found = steadied([row("a"), row("b")], [row("a", 2), row("b"), row("c")]);
  expect(found.changed).toEqual(["a", "c"]);
  expect(found.rows[0]?.version).toBe(2);
});
