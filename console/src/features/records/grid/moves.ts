/** A place in a grid: row and column, from 0. */
export interface Place {
  row: number;
  column: number;
}

export interface Size {
  rows: number;
  columns: number;
}

/** Rows that Page Up and Page Down pass. */
const PAGE = 10;

type Move = (at: Place, size: Size) => Place;

const MOVES: Record<string, Move> = {
  ArrowUp: (at) => ({ ...at, row: at.row - 1 }),
  ArrowDown: (at) => ({ ...at, row: at.row + 1 }),
  ArrowLeft: (at) => ({ ...at, column: at.column - 1 }),
  ArrowRight: (at) => ({ ...at, column: at.column + 1 }),
  PageUp: (at) => ({ ...at, row: at.row - PAGE }),
  PageDown: (at) => ({ ...at, row: at.row + PAGE }),
  Home: (at) => ({ ...at, column: 0 }),
  End: (at, size) => ({ ...at, column: size.columns - 1 }),
  "Ctrl+Home": () => ({ row: 0, column: 0 }),
  "Ctrl+End": (_, size) => ({ row: size.rows - 1, column: size.columns - 1 }),
};

/** Where a key leads to, by the pattern of grids in ARIA's practices; null for one that leads nowhere. */
export function moved(at: Place, size: Size, key: string, ctrl: boolean): Place | null {
  const move = MOVES[ctrl ? `Ctrl+${key}` : key];
  return move === undefined ? null : within(move(at, size), size);
}

/** The nearest place that there is. */
export function within({ row, column }: Place, size: Size): Place {
  const held = (value: number, count: number) => Math.max(0, Math.min(value, count - 1));
  return { row: held(row, size.rows), column: held(column, size.columns) };
}

/** The next place across, into the next row or the one before where a row ends; the same at either end of all. */
export function across(at: Place, size: Size, step: 1 | -1): Place {
  const place = at.row * size.columns + at.column + step;
  if (place < 0 || place >= size.rows * size.columns) return at;
  return { row: Math.floor(place / size.columns), column: place % size.columns };
}
