import type { KeyboardEvent } from "react";
import type { CollectionSchema, Row } from "../../../api/types";
import { textOf, typeOf } from "../../../ui/fields";
import { useTell } from "../../../ui/messages";
import type { Onward } from "./CellEditor";
import { closedBy } from "./editing";
import { across, within, type Place } from "./moves";
import type { Cells } from "./useCells";
import type { Chosen } from "./useChosen";
import type { Grid } from "./useGrid";

interface Given {
  schema: CollectionSchema;
  rows: Row[];
  /** By the id of a row, its fields that can be changed. */
  writable: ReadonlyMap<string, readonly string[]>;
  cells: Cells;
  chosen: Chosen;
  grid: Grid;
}

export interface Editing {
  isOpen: (row: Row, name: string) => boolean;
  edit: (place: Place, typed?: string) => void;
  onCellKey: (event: KeyboardEvent, place: Place) => void;
  onDone: (onward: Onward) => void;
}

/** What keys and clicks in the cells of a grid do; the first column is for choosing rows. */
export function useEditing({ schema, rows, writable, cells, chosen, grid }: Given): Editing {
  const tell = useTell();
  const columns = schema["x-columns"];
  const { at, go, size } = grid;
  const whyClosed = (row: Row, name: string) => closedBy(schema, name, writable.get(row.id) ?? []);
  const edit = (place: Place, typed = "") => {
    const row = rows[place.row];
    const name = columns[place.column - 1];
    if (row === undefined || name === undefined) return;
    const why = whyClosed(row, name);
    if (why === null) cells.open({ id: row.id, recordKey: textOf(row[schema["x-key"]]), name }, typed);
    else tell(why, { severity: "error" });
  };
  const choose = (from: number, to: number) =>
    chosen.put(
      rows.slice(Math.min(from, to), Math.max(from, to) + 1).map((row) => row.id),
      true,
    );
  const onCellKey = (event: KeyboardEvent, place: Place) => {
    const { key, ctrlKey, shiftKey } = event;
    const row = rows[place.row];
    const name = columns[place.column - 1] ?? "";
    if (row === undefined) return;
    const step = key === "ArrowDown" ? 1 : key === "ArrowUp" ? -1 : 0;
    const plain = !ctrlKey && !event.altKey && !event.metaKey;
    if (key === " ") chosen.toggle(row.id);
    else if (shiftKey && step !== 0) {
      const to = within({ ...place, row: place.row + step }, size);
      choose(place.row, to.row);
      go(to);
    } else if (ctrlKey && key.toLowerCase() === "a") choose(0, size.rows - 1);
    // Enter on what stands in a cell is its own.
    else if (key === "F2" || (key === "Enter" && event.target === event.currentTarget)) edit(place);
    else if (key.length === 1 && plain && whyClosed(row, name) === null && takesTyping(schema, name)) edit(place, key);
    else return;
    event.preventDefault();
  };
  const onDone = (onward: Onward) => {
    if (onward === null) return;
    const row = rows.findIndex((one) => one.id === cells.opened?.id);
    const column = columns.findIndex((name) => name === cells.opened?.name) + 1;
    const from = row < 0 || column < 1 ? at : { row, column };
    const steps = {
      down: within({ ...from, row: from.row + 1 }, size),
      next: across(from, size, 1),
      previous: across(from, size, -1),
      stay: from,
    };
    go({ ...steps[onward] });
  };
  return { isOpen: (row, name) => whyClosed(row, name) === null, edit, onCellKey, onDone };
}

/** Whether a key begins to edit: where a text or a number is typed, and nothing is chosen. */
export function takesTyping(schema: CollectionSchema, name: string): boolean {
  const field = schema.properties[name];
  if (field === undefined || field.enum !== undefined || field["x-references"] !== undefined || name === schema["x-owner"])
    return false;
  const type = typeOf(field);
  return type === "integer" || type === "number" || (type === "string" && !(field.format ?? "").startsWith("date"));
}
