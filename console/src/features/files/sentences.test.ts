import { expect, test } from "vitest";
import { countsIn } from "./sentences";

const NONE = { created: 0, updated: 0, unchanged: 0, refused: 0 };

test.each([
  [{ ...NONE, created: 2, refused: 1 }, true, "2 would be created, 1 would be refused"],
  [{ ...NONE, updated: 1, unchanged: 3 }, false, "1 was brought up to date, 3 are as in the file already"],
  [{ ...NONE, created: 2, unchanged: 1 }, false, "2 were created, 1 is as in the file already"],
  [NONE, true, "none would change anything"],
])("counts are told in words", (found, foreseen, words) => {
  expect(countsIn(found, foreseen)).toBe(words);
});
