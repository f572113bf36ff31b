/** A piece of a text that stayed, was put in, or was taken out. */
export interface Piece {
  kind: "same" | "in" | "out";
  text: string;
}

/** Texts of more words than this are shown one after the other: to compare them would take too long. */
const MOST = 600;

/** The difference of two texts, word by word: the longest common row of words stays. */
export function difference(before: string, after: string): Piece[] {
  const old = before.match(/\S+\s*|\s+/g) ?? [];
  const now = after.match(/\S+\s*|\s+/g) ?? [];
  if (old.length > MOST || now.length > MOST) return joined([out(before), put(after)]);
  const common = lengths(old, now);
  const pieces: Piece[] = [];
  let i = 0;
  let j = 0;
  while (i < old.length || j < now.length) {
    const left = old[i];
    const right = now[j];
    if (left !== undefined && left === right) {
      pieces.push({ kind: "same", text: left });
      i++;
      j++;
    } else if (right === undefined || (left !== undefined && at(common, i + 1, j) >= at(common, i, j + 1))) {
      pieces.push(out(left ?? ""));
      i++;
    } else {
      pieces.push(put(right));
      j++;
    }
  }
  return joined(pieces);
}

const out = (text: string): Piece => ({ kind: "out", text });
const put = (text: string): Piece => ({ kind: "in", text });
const at = (table: number[][], i: number, j: number) => table[i]?.[j] ?? 0;

/** By places in both, how many words the rests have in common. */
function lengths(old: string[], now: string[]): number[][] {
  const table = Array.from({ length: old.length + 1 }, () => new Array<number>(now.length + 1).fill(0));
  for (let i = old.length - 1; i >= 0; i--) {
    const row = table[i];
    if (row === undefined) continue;
    for (let j = now.length - 1; j >= 0; j--) {
      row[j] = old[i] === now[j] ? at(table, i + 1, j + 1) + 1 : Math.max(at(table, i + 1, j), at(table, i, j + 1));
    }
  }
  return table;
}

function joined(pieces: Piece[]): Piece[] {
  const found: Piece[] = [];
  for (const piece of pieces) {
    const last = found.at(-1);
    if (last?.kind === piece.kind) last.text += piece.text;
    else if (piece.text !== "") found.push({ ...piece });
  }
  return found;
}
