import type { FieldSchema } from "../api/types";
import { ExactNumber, type Json } from "../lib/json";

/** Which kind of input a field has. */
export type Kind = "text" | "long" | "number" | "day" | "moment" | "flag" | "pick" | "list" | "rows" | "group" | "json";

export function typeOf(schema: FieldSchema): string {
  const type = Array.isArray(schema.type) ? schema.type[0] : schema.type;
  return type ?? "string";
}

export function isNullable(schema: FieldSchema): boolean {
  return Array.isArray(schema.type) && schema.type.includes("null");
}

/** Which kind of input suits a field. */
export function kindOf(schema: FieldSchema, picked: boolean): Kind {
  if (picked) return "pick";
  switch (typeOf(schema)) {
    case "boolean":
      return isNullable(schema) ? "pick" : "flag";
    case "integer":
    case "number":
      return "number";
    case "array":
      if (schema.items && typeOf(schema.items) === "string") return "list";
      return schema.items && typeOf(schema.items) === "object" && schema.items.properties ? "rows" : "json";
    case "object":
      return schema.properties ? "group" : "json";
    default:
      if (schema.format === "date") return "day";
      if (schema.format === "date-time") return "moment";
      return (schema.maxLength ?? 0) > 150 ? "long" : "text";
  }
}

/** A value as the text that stands for it in an input or a choice. */
export function textOf(value: Json | undefined): string {
  if (value === null || value === undefined) return "";
  return typeof value === "string"
    ? value
    : typeof value === "object" && !(value instanceof ExactNumber)
      ? JSON.stringify(value)
      : String(value);
}
