import { diffArrays } from "diff";

/** A piece of a text that stayed, was put in, or was taken out. */
export interface Piece {
  kind: "same" | "in" | "out";
  text: string;
}

/** Texts of more words than this are shown one after the other: to compare them would take too long. */
const MOST = 600;

/** Each word with the space behind it, so that neighbours which differ make one piece. */
const words = (text: string): string[] => text.match(/\S+\s*|\s+/g) ?? [];

/** The difference of two texts, word by word. */
export function difference(before: string, after: string): Piece[] {
  const [old, now] = [words(before), words(after)];
  const pieces =
    old.length > MOST || now.length > MOST
      ? [
          { removed: true, added: false, value: old },
          { removed: false, added: true, value: now },
        ]
      : diffArrays(old, now);
  return pieces
    .filter((one) => one.value.length > 0)
    .map((one) => ({ kind: one.added ? "in" : one.removed ? "out" : "same", text: one.value.join("") }));
}
