import type { Json, WithJson } from "../lib/json";
import type { components } from "./openapi";

type Schemas = components["schemas"];

export type CollectionInfo = WithJson<Schemas["Collection"]>;
export type Choices = WithJson<Schemas["Choices"]>;
export type Entry = WithJson<Schemas["Entry"]>;
export type Page = WithJson<Schemas["RecordPage"]>;
export type Preview = WithJson<Schemas["RecordPreview"]>;
export type Row = Page["items"][number];
export type Fields = { [name: string]: Json };

/** The form of a record; its schema is a JSON Schema, which the OpenAPI document leaves open. */
export type Form = Omit<WithJson<Schemas["RecordForm"]>, "schema"> & { schema: CollectionSchema };

/** What the console reads of a JSON Schema (core/access/schemas.py). */
export interface FieldSchema {
  type: string | string[];
  title?: string;
  description?: string;
  format?: string;
  enum?: Json[];
  readOnly?: boolean;
  writeOnly?: boolean;
  minLength?: number;
  maxLength?: number;
  items?: FieldSchema;
  properties?: Record<string, FieldSchema>;
  required?: string[];
  "x-reserved"?: boolean;
  "x-references"?: string;
  "x-unique"?: boolean;
  "x-derived"?: boolean;
  "x-begins"?: boolean;
  "x-fixed"?: boolean;
  "x-decimals"?: number;
  examples?: Json[];
}

export interface CollectionSchema {
  title: string;
  properties: Record<string, FieldSchema>;
  required: string[];
  "x-key": string;
  "x-naming": string;
  /** What lists show first. */
  "x-columns": string[];
  "x-owner"?: string;
}
