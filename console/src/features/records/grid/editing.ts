import type { CollectionSchema } from "../../../api/types";
import { isReserved } from "../model";

/** Why a cell cannot be edited, in words; null for one that can. `writable` are the fields of its record that can. */
export function closedBy(schema: CollectionSchema, name: string, writable: readonly string[]): string | null {
  if (writable.includes(name)) return null;
  const field = schema.properties[name];
  const title = field?.title ?? name;
  if (isReserved(field)) return `${title} is kept by the service.`;
  if (field?.["x-fixed"] || name === schema["x-key"]) return `${title} is set when a record is made, and stays.`;
  if (field?.["x-derived"]) return `${title} is worked out from other values.`;
  if (writable.length === 0) return "You may read this record, and not change it.";
  return field?.readOnly ? `${title} is not set by hand.` : `${title} is not yours to change here.`;
}
