import type { Json } from "../lib/json";
import type { FieldError } from "./errors";

/** What the service answers; parsed once, here at the edge. */
export type Row = { [name: string]: Json } & { id: string; version: number };

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
  "x-references"?: string;
  "x-decimals"?: number;
  examples?: Json[];
}

export interface CollectionSchema {
  title: string;
  properties: Record<string, FieldSchema>;
  required: string[];
  "x-key": string;
  "x-naming": string;
  "x-owner"?: string;
}

export interface CollectionInfo {
  name: string;
  title: string;
  singular: string;
  description: string;
  key: string;
  naming: string;
  searched: string[];
  may: { read: boolean; create: boolean };
}

export interface Choice {
  value: Json;
  label: string;
}
export interface Choices {
  options: Choice[];
  more: boolean;
}

export interface Form {
  values: { [name: string]: Json };
  version: number | null;
  etag: string | null;
  schema: CollectionSchema;
  choices: Record<string, Choices>;
  writable: string[];
  deletable: boolean;
}

/** What owners and references in a page stand for, by field and value. */
export type Labels = Record<string, Record<string, string>>;
export interface Page {
  items: Row[];
  next: string | null;
  count?: number;
  labels?: Labels;
}

export interface Entry {
  sequence: number;
  time: string;
  version: number;
  action: "create" | "update" | "delete";
  actor: string;
  via: string;
  reason: string | null;
  sentence: string;
}

export interface Preview {
  changes: Record<string, { before: Json; after: Json }>;
  errors: FieldError[];
}

export interface HistoryPage {
  items: Entry[];
  next: number | null;
}
export interface Session {
  account: string;
  title: string;
  roles: string[];
}
export interface Health {
  title: string;
  version: string;
}
