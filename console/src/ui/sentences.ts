import type { FieldError } from "../api/errors";
import type { CollectionSchema, FieldSchema } from "../api/types";
import type { Json } from "../lib/json";
import { shown } from "../lib/text";
import { kindOf, textOf, typeOf } from "./fields";

/** What a person is to do about a code, in the words of somebody who fills in a form. */
type Sentence = (error: FieldError, schema: FieldSchema) => string;

const ENTER: Record<string, string> = {
  string: "Enter a text.",
  integer: "Enter a whole number.",
  number: "Enter a number.",
  boolean: "Choose yes or no.",
  array: "Enter a list.",
  object: "Fill in the parts of this.",
};

const FORMATS: Record<string, string> = {
  date: "Enter a valid date.",
  "date-time": "Enter a day and a time that there are.",
  email: "Enter an e-mail address, such as name@firm.example.",
  uri: "Enter a web address, such as https://firm.example.",
  uuid: "Enter an identifier such as 018f3c1e-7b2a-7cc0-9a51-3f0f3d1c2b4a.",
};

const missing: Sentence = (_, schema) => {
  if (schema.enum !== undefined || schema["x-references"] !== undefined || kindOf(schema, false) === "pick") return "Choose one.";
  return schema.format === "date" ? "Enter a date." : (ENTER[typeOf(schema)] ?? "Enter a value.");
};

const unchangeable: Sentence = () => "This cannot be changed here.";
const counted = (value: Json | undefined, noun: string) => `${shown(value)} ${noun}${shown(value) === "1" ? "" : "s"}`;

/** One for each code of a field error; docs/errors.md lists them, and a test compares. */
export const SENTENCES: Record<string, Sentence> = {
  required: missing,
  null: missing,
  blank: missing,
  type: (_, schema) => FORMATS[schema.format ?? ""] ?? ENTER[typeOf(schema)] ?? "Enter another value.",
  characters: () => "This holds a character that cannot be kept. Type it anew.",
  range: () => "This number is too large to be kept. Enter a smaller one.",
  enum: () => "Choose one of those offered.",
  pattern: (_, schema) =>
    schema.examples?.length ? `Write it like ${textOf(schema.examples[0])}.` : "This is not written as it must be.",
  scheme: (error) => `Enter an address of one of these kinds: ${shown(error["schemes"])}.`,
  format: (_, schema) => FORMATS[schema.format ?? ""] ?? "This is not written as it must be.",
  min_length: (error) => `Enter at least ${counted(error["min_length"], "character")}.`,
  max_length: (error) => `Enter at most ${counted(error["max_length"], "character")}.`,
  minimum: (error) => `Enter ${shown(error["minimum"])} or more.`,
  maximum: (error) => `Enter ${shown(error["maximum"])} or less.`,
  exclusive_minimum: (error) => `Enter more than ${shown(error["exclusive_minimum"])}.`,
  exclusive_maximum: (error) => `Enter less than ${shown(error["exclusive_maximum"])}.`,
  multiple_of: (error, schema) => {
    const digits = schema["x-decimals"];
    return digits === undefined
      ? `Enter a multiple of ${shown(error["multiple_of"])}.`
      : `Enter at most ${counted(digits, "digit")} after the point.`;
  },
  min_items: (error) => `Enter at least ${counted(error["min_items"], "entry").replace("entrys", "entries")}.`,
  max_items: (error) => `Enter at most ${counted(error["max_items"], "entry").replace("entrys", "entries")}.`,
  min_properties: (error) => `Fill in at least ${counted(error["min_properties"], "part")}.`,
  max_properties: (error) => `Fill in at most ${counted(error["max_properties"], "part")}.`,
  unique_items: () => "The same entry stands here twice. Take one out.",
  unknown_field: unchangeable,
  unknown_property: unchangeable,
  key_characters: () => "Leave out slashes; it may not be just a dot either.",
  server_kept: unchangeable,
  fixed: unchangeable,
  read_only: unchangeable,
  derived: unchangeable,
  underivable: (error) => error.detail,
  view: (error) => error.detail,
  consequence: (error) => error.detail,
  not_permitted: () => "This is not yours to change here.",
  check: (error) => error.detail,
  length: (error) => error.detail,
  owner: () => "Only somebody who may hand the record over can change this.",
  edit: (error) => error.detail,
  address: () => "The address says otherwise.",
  unique: () => "Another record has this already. Enter another.",
  reason: () => "Say why this is changed.",
  not_sensitive: (error) => error.detail,
  not_required: (error) => error.detail,
  reference: () => "There is no such record that you may see. Choose one that is there.",
};

/** What is wrong, for whoever fills in the form; a code that is not known here keeps the service's own words. */
export function sentenceFor(error: FieldError, schema: FieldSchema | undefined): string {
  // Nobody enters what is worked out: it is something else that has to change.
  if (schema?.["x-derived"] && error.code !== "derived") return `It is worked out, and cannot be so. ${error.detail}`;
  return SENTENCES[error.code]?.(error, schema ?? { type: "string" }) ?? error.detail;
}

/** The schema of the place that a JSON Pointer leads to. */
export function schemaAt(schema: CollectionSchema, pointer: string): FieldSchema | undefined {
  const [first = "", ...rest] = pointer.split("/").slice(1);
  return rest.reduce<FieldSchema | undefined>(
    (found, step) => found?.properties?.[step] ?? (found?.items && /^\d+$/.test(step) ? found.items : undefined),
    schema.properties[first],
  );
}
