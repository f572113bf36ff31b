import { useEffect, useRef, useState, type FocusEvent, type KeyboardEvent, type RefObject } from "react";
import { moved, within, type Place, type Size } from "./moves";

export interface Grid {
  grid: RefObject<HTMLTableElement | null>;
  size: Size;
  /** The one cell that Tab leads to. */
  at: Place;
  go: (place: Place) => void;
  /** To be given to the grid itself. */
  onKeyDown: (event: KeyboardEvent) => void;
  onFocus: (event: FocusEvent) => void;
}

interface Held extends Place {
  id: string | undefined;
}

/** The place in the grid that something is in. */
export const placeIn = (element: Element): Place | null => {
  const cell = element.closest<HTMLElement>("[data-row]");
  return cell === null ? null : { row: Number(cell.dataset["row"]), column: Number(cell.dataset["column"]) };
};

/** Moves through the cells of a grid by keyboard, as ARIA's practices have it: one of them is reached by Tab. */
export function useGrid(size: Size, ids: string[]): Grid {
  const grid = useRef<HTMLTableElement>(null);
  const [held, setHeld] = useState<Held>({ row: 0, column: 1, id: undefined });
  const [wanted, setWanted] = useState<Place | null>(null);
  // Rows come and go above it: it is the row that one is on.
  const now = held.id === undefined ? -1 : ids.indexOf(held.id);
  const at = within(now < 0 ? held : { ...held, row: now }, size);
  const hold = (place: Place) => setHeld({ ...place, id: ids[place.row] });
  const go = (place: Place) => {
    hold(place);
    setWanted(place);
  };
  // Behind the drawing: the cell can be reached only then.
  useEffect(() => {
    if (wanted === null) return;
    const cell = grid.current?.querySelector<HTMLElement>(`[data-row="${wanted.row}"][data-column="${wanted.column}"]`);
    (cell?.querySelector<HTMLElement>("a, input") ?? cell)?.focus();
  }, [wanted]);
  return {
    grid,
    size,
    at,
    go,
    onKeyDown: (event) => {
      if (event.altKey || event.metaKey || event.shiftKey || placeIn(event.target as Element) === null) return;
      const to = moved(at, size, event.key, event.ctrlKey);
      if (to === null) return;
      event.preventDefault();
      go(to);
    },
    onFocus: (event) => {
      const place = placeIn(event.target);
      if (place !== null) hold(place);
    },
  };
}
