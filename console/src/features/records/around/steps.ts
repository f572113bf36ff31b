import type { CollectionSchema, Entry } from "../../../api/types";
import { isObject, type Json } from "../../../lib/json";
import { textOf } from "../../../ui/fields";
import { isFigure, isReserved } from "../model";

/** What a field held from a moment on. */
export interface Step {
  time: string;
  version: number;
  actor: string;
  stored: Json;
  /** As it is drawn; null where there was none, or it is not known any more. */
  value: number | null;
}

/** The fields of a collection that hold measures: numbers that are no key and refer to nothing. */
export const measured = (schema: CollectionSchema): string[] =>
  Object.entries(schema.properties)
    .filter(([name, field]) => isFigure(field) && !isReserved(field) && !field.writeOnly && name !== schema["x-key"])
    .map(([name]) => name);

/** What a field held from each of these changes on, oldest first; they come newest first. */
export function stepsOf(entries: Entry[], field: string): Step[] {
  return [...entries].reverse().flatMap(({ time, version, actor, changes }): Step[] => {
    const change = changes[field];
    if (!isObject(change) || !("after" in change)) return [];
    const stored = change["after"] ?? null;
    const text = textOf(stored);
    const value = isObject(stored) || text === "" ? NaN : Number(text);
    return [{ time, version, actor, stored, value: Number.isFinite(value) ? value : null }];
  });
}
