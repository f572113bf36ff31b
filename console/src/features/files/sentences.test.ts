import { expect, test } from "vitest";
import { countsIn, repeatsIn } from "./sentences";

const NONE = { created: 0, updated: 0, unchanged: 0, refused: 0 };

test.each([
  [{ ...NONE, created: 2, refused: 1 }, true, "2 would be created, 1 would be refused"],
  [{ ...NONE, updated: 1, unchanged: 3 }, false, "1 was brought up to date, 3 are as in the file already"],
  [{ ...NONE, created: 2, unchanged: 1 }, false, "2 were created, 1 is as in the file already"],
  [NONE, true, "none would change anything"],
])("counts are told in words", (found, foreseen, words) => {
  expect(countsIn(found, foreseen)).toBe(words);
});

test.each([
  [[], 0, ""],
  [[{ row: 4, earlier: 2 }], 1, "Row 4 is of the same record as row 2. The later row has the last word."],
  [
    [2, 3, 4, 5, 6, 7].map((row) => ({ row, earlier: 1 })),
    6,
    "Row 2 is of the same record as row 1, row 3 is of the same record as row 1, row 4 is of the same record as row 1, " +
      "row 5 is of the same record as row 1, row 6 is of the same record as row 1, and 1 more repeats an earlier one. " +
      "The later row has the last word.",
  ],
])("rows of one record are told", (repeats, repeated, words) => {
  expect(repeatsIn({ repeats, repeated })).toBe(words);
});
