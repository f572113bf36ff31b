import type { CollectionSchema, FieldSchema, Page, Row } from "../../../api/types";
import type { Json } from "../../../lib/json";
import { typedDay } from "../../../lib/days";
import { kindOf, textOf } from "../../../ui/fields";
import { valueOf, type Control } from "../model";
import { closedBy } from "./editing";
import type { Place } from "./moves";

/** Rows and cells of what a spreadsheet puts on the clipboard: tabs between cells, quotes around what holds lines. */
export function cellsOf(text: string): string[][] {
  const rows: string[][] = [[]];
  const source = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  let at = 0;
  while (at <= source.length) {
    const quoted = /^"((?:[^"]|"")*)"(?=[\t\n]|$)/.exec(source.slice(at));
    const [whole, inner] = quoted ?? [/^[^\t\n]*/.exec(source.slice(at))?.[0] ?? "", undefined];
    rows.at(-1)?.push(inner === undefined ? whole : inner.replaceAll('""', '"'));
    at += whole.length;
    if (source[at] === "\n") rows.push([]);
    at += 1;
  }
  return rows;
}

/** The same of rows of cells, for a spreadsheet to take. */
export const textOfCells = (rows: string[][]): string =>
  rows.map((row) => row.map((cell) => (/[\t\n"]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell)).join("\t")).join("\n");

/** What is to become of one record: by field, what is pasted, and why a cell cannot take it. */
export interface PastedRow {
  row: Row;
  fields: Record<string, Json>;
  closed: Record<string, string>;
}

export interface Pasted {
  rows: PastedRow[];
  /** Rows and columns that have no place in the list. */
  rowsLeft: number;
  columnsLeft: number;
}

interface List {
  schema: CollectionSchema;
  page: Page;
  writable: ReadonlyMap<string, readonly string[]>;
}

/** What pasting cells from this place on comes to; the first column is for choosing rows. */
export function pastedAt({ schema, page, writable }: List, cells: string[][], from: Place): Pasted {
  const columns = schema["x-columns"].slice(Math.max(0, from.column - 1));
  const rows = cells.slice(0, page.items.length - from.row).flatMap((line, step): PastedRow[] => {
    const row = page.items[from.row + step];
    if (row === undefined) return [];
    const found: PastedRow = { row, fields: {}, closed: {} };
    line.slice(0, columns.length).forEach((text, place) => {
      const name = columns[place] ?? "";
      const field = schema.properties[name] ?? { type: "string" };
      const picked = field.enum !== undefined || field["x-references"] !== undefined || name === schema["x-owner"];
      const value = pastedValue(field, picked, text, page.labels?.[name] ?? {});
      // What stands there already is no change.
      if (textOf(value) === textOf(row[name])) return;
      const why = closedBy(schema, name, writable.get(row.id) ?? []);
      if (why === null) found.fields[name] = value;
      else found.closed[name] = why;
    });
    return Object.keys(found.fields).length + Object.keys(found.closed).length > 0 ? [found] : [];
  });
  return {
    rows,
    rowsLeft: Math.max(0, from.row + cells.length - page.items.length),
    columnsLeft: Math.max(0, ...cells.map((line) => line.length - columns.length)),
  };
}

const FLAGS: Record<string, boolean> = { yes: true, true: true, "1": true, x: true, no: false, false: false, "0": false };
const NOTHING = ["", "–"];

/** A text as a value of a field: read as people write it, and as lists here show it. */
export function pastedValue(field: FieldSchema, picked: boolean, pasted: string, labels: Record<string, string>): Json {
  const text = pasted.trim();
  const kind = kindOf(field, picked);
  const empty = NOTHING.includes(text) ? "" : text;
  let control: Control = empty;
  if (kind === "flag" || (kind === "pick" && [field.type].flat()[0] === "boolean"))
    return FLAGS[text.toLowerCase()] ?? (empty || null);
  if (kind === "pick") {
    const label = Object.entries(labels).find(([, one]) => one === text);
    const choice = field.enum?.find((one) => textOf(one).toLowerCase() === text.toLowerCase());
    control = label?.[0] ?? textOf(choice ?? empty);
  } else if (kind === "list") control = empty === "" ? [] : empty.split(/\s*[,\n]\s*/).filter((one) => one !== "");
  else if (kind === "day") control = typedDay(empty) ?? empty;
  // In a long text spaces and line ends are what somebody wrote.
  else if (kind === "long" && empty !== "") control = pasted;
  else if (kind === "group") return empty;
  return valueOf(field, kind, control);
}
