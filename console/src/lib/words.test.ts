import { expect, test } from "vitest";
import { difference, type Piece } from "./words";

const marked = (pieces: Piece[]) =>
  pieces.map(({ kind, text }) => ({ same: text, in: `+${text}`, out: `-${text}` })[kind]).join("|");

test.each([
  ["the pump runs", "the pump stands", "the pump |-runs|+stands"],
  ["a b c", "a c", "a |-b |c"],
  ["", "new", "+new"],
  ["old", "", "-old"],
  ["same", "same", "same"],
])("%s becomes %s", (before, after, expected) => {
  expect(marked(difference(before, after))).toBe(expected);
});

test("both texts can be read off a difference, however long", () => {
  const texts = ["one two  three\nfour", "two three five four", "x ".repeat(700), ""];
  for (const before of texts)
    for (const after of texts) {
      const pieces = difference(before, after);
      expect(
        pieces
          .filter((one) => one.kind !== "in")
          .map((one) => one.text)
          .join(""),
      ).toBe(before);
      expect(
        pieces
          .filter((one) => one.kind !== "out")
          .map((one) => one.text)
          .join(""),
      ).toBe(after);
    }
});
