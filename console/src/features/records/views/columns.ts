import type { CollectionSchema } from "../../../api/types";

/** A column of a list, and how wide it is, in pixels, if anybody said. */
export interface Column {
  name: string;
  width: number | null;
}

/** The widths that are offered. */
export const WIDTHS: Record<string, number | null> = { "As it needs": null, Narrow: 100, Medium: 200, Wide: 400 };

const WIDTH = /^[1-9]\d{0,3}$/;

/** The columns of a list: as the address has them, without what is no field to whoever looks; else as defined. */
export function columnsOf(schema: CollectionSchema, said: string[]): Column[] {
  const found = new Map<string, Column>();
  for (const one of said) {
    const [name = "", width = ""] = one.split(":");
    if (schema.properties[name] !== undefined) found.set(name, { name, width: WIDTH.test(width) ? Number(width) : null });
  }
  return found.size > 0 ? [...found.values()] : schema["x-columns"].map((name) => ({ name, width: null }));
}

/** The same as an address and a view have it. */
export const writtenOf = (columns: Column[]): string[] =>
  columns.map(({ name, width }) => (width === null ? name : `${name}:${width}`));

/** The list with one of them moved by a step; as it is where there is no place to go. */
export function stepped<Item>(items: Item[], from: number, step: 1 | -1): Item[] {
  const to = from + step;
  const [one, other] = [items[from], items[to]];
  if (one === undefined || other === undefined) return items;
  return items.map((item, place) => (place === from ? other : place === to ? one : item));
}
