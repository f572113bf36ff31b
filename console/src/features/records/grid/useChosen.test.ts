import { expect, test } from "vitest";
import { rangeOf, whereOf } from "./useChosen";

test.each([
  ["a", "c", ["a", "b", "c"]],
  ["c", "a", ["a", "b", "c"]],
  ["b", "b", ["b"]],
  // The last one stands on another page, or there is none.
  ["x", "b", null],
  ["", "b", null],
])("from %s to %s", (from, to, between) => {
  expect(rangeOf(["a", "b", "c", "d"], from, to)).toEqual(between);
});

test("what is chosen is a condition", () => {
  expect(whereOf({ ids: new Set(["a", 'b"']), all: false }, "priority > 1")).toBe('id in ["a", "b\\""]');
  expect(whereOf({ ids: new Set(), all: true }, " priority > 1 ")).toBe("priority > 1");
  expect(whereOf({ ids: new Set(), all: true }, "")).toBe("true");
});
