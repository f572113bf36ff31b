import { expect, test } from "vitest";
import { across, moved, within } from "./moves";

const SIZE = { rows: 12, columns: 3 };
const at = (row: number, column: number) => ({ row, column });

test.each([
  ["ArrowUp", false, at(0, 1), at(0, 1)],
  ["ArrowDown", false, at(0, 1), at(1, 1)],
  ["ArrowLeft", false, at(4, 0), at(4, 0)],
  ["ArrowRight", false, at(4, 2), at(4, 2)],
  ["PageDown", false, at(4, 2), at(11, 2)],
  ["PageUp", false, at(11, 2), at(1, 2)],
  ["Home", false, at(4, 2), at(4, 0)],
  ["End", false, at(4, 0), at(4, 2)],
  ["Home", true, at(4, 2), at(0, 0)],
  ["End", true, at(4, 0), at(11, 2)],
  ["ArrowDown", true, at(4, 0), null],
  ["a", false, at(4, 0), null],
])("%s with Ctrl %s leads from %o to %o", (key, ctrl, from, to) => {
  expect(moved(from, SIZE, key, ctrl)).toEqual(to);
});

test("across goes on in the next row, and no further than the ends", () => {
  expect(across(at(1, 2), SIZE, 1)).toEqual(at(2, 0));
  expect(across(at(1, 0), SIZE, -1)).toEqual(at(0, 2));
  expect(across(at(0, 0), SIZE, -1)).toEqual(at(0, 0));
  expect(across(at(11, 2), SIZE, 1)).toEqual(at(11, 2));
});

test("a place that is gone becomes the nearest", () => {
  expect(within(at(40, 2), SIZE)).toEqual(at(11, 2));
  expect(within(at(3, 1), { rows: 0, columns: 3 })).toEqual(at(0, 1));
});
