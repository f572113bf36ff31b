import { diffWordsWithSpace } from "diff";

/** A piece of a text that stayed, was put in, or was taken out. */
export interface Piece {
  kind: "same" | "in" | "out";
  text: string;
}

/** Texts of more words than this are shown one after the other: to compare them would take too long. */
const MOST = 600;

const words = (text: string): number => text.match(/\S+/g)?.length ?? 0;

/** The difference of two texts, word by word. */
export function difference(before: string, after: string): Piece[] {
  const pieces =
    words(before) > MOST || words(after) > MOST
      ? [
          { removed: true, added: false, value: before },
          { removed: false, added: true, value: after },
        ]
      : diffWordsWithSpace(before, after);
  return pieces
    .filter((one) => one.value !== "")
    .map((one) => ({ kind: one.added ? "in" : one.removed ? "out" : "same", text: one.value }));
}
