import type { FieldSchema, Form, Page, Row } from "../../api/types";
import { ExactNumber, isObject, parseJson, type Json } from "../../lib/json";
import { groupedNumber, localNumber, typedNumber, WRITTEN_NUMBER } from "../../lib/numbers";
import { localMoment, shown, utcMoment } from "../../lib/text";
import { isNullable, kindOf, textOf, typeOf, type Kind } from "../../ui/fields";

/**
 * What the inputs of a form hold, and what of it is to be sent. A draft mirrors the record: text for
 * all that is typed or picked, booleans, lists of texts, and drafts inside for objects.
 */
export type Control = string | boolean | string[] | Rows | Group;
export interface Group {
  [name: string]: Control;
}
/** A list of objects, and what tells one from another while they are edited; by a name that no property has. */
export interface Rows {
  "#rows": { id: number; group: Group }[];
}
export type Draft = Record<string, Control>;
export function controlFrom(schema: FieldSchema, kind: Kind, value: Json | undefined): Control {
  switch (kind) {
    case "flag":
      return value === true;
    case "list":
      return Array.isArray(value) ? value.map(textOf) : [];
    case "rows":
      return rowsFrom(schema.items ?? { type: "object" }, Array.isArray(value) ? value : []);
    case "group": {
      const members = isObject(value) ? value : {};
      return Object.fromEntries(
        Object.entries(schema.properties ?? {}).map(([name, one]) => [name, controlFrom(one, innerKind(one), members[name])]),
      );
    }
    case "json":
      return value === null || value === undefined ? "" : JSON.stringify(value, null, 2);
    case "moment":
      return localMoment(textOf(value));
    case "number":
      return localNumber(textOf(value));
    default:
      return textOf(value);
  }
}

function rowsFrom(schema: FieldSchema, items: Json[]): Rows {
  return { "#rows": items.map((item, id) => ({ id, group: controlFrom(schema, "group", item) as Group })) };
}

export const isRows = (control: Control | undefined): control is Rows =>
  typeof control === "object" && !Array.isArray(control) && Array.isArray(control["#rows"]);

/** The same with an empty row more. */
export function withRow({ "#rows": rows }: Rows, schema: FieldSchema): Rows {
  const id = Math.max(-1, ...rows.map((one) => one.id)) + 1;
  return { "#rows": [...rows, { id, group: controlFrom(schema, "group", null) as Group }] };
}

/** The kind of an input inside a group, where choices come from the schema alone. */
export function innerKind(schema: FieldSchema): Kind {
  return kindOf(schema, schema.enum !== undefined);
}

export function kindIn(form: Form, name: string): Kind {
  const schema = form.schema.properties[name];
  return schema ? kindOf(schema, form.choices[name] !== undefined) : "text";
}

export function draftFrom(form: Form): Draft {
  return Object.fromEntries(
    form.writable.map((name) => {
      const schema = form.schema.properties[name] ?? { type: "string" };
      return [name, controlFrom(schema, kindIn(form, name), form.values[name])];
    }),
  );
}

/** What an input stands for as JSON. What cannot be read is sent as text, for the service to explain. */
export function valueOf(schema: FieldSchema, kind: Kind, control: Control): Json {
  if (typeof control === "boolean") return control;
  if (Array.isArray(control)) return control.length === 0 && isNullable(schema) ? null : control;
  if (isRows(control)) {
    const inner = schema.items ?? { type: "object" };
    const items = control["#rows"].map(({ group }) => valueOf({ ...inner, type: "object" }, "group", group));
    return items.length === 0 && isNullable(schema) ? null : items;
  }
  if (typeof control === "object") {
    const members = Object.entries(schema.properties ?? {}).flatMap(([name, one]): [string, Json][] => {
      const value = valueOf(one, innerKind(one), control[name] ?? "");
      return value === null ? [] : [[name, value]];
    });
    return members.length === 0 && isNullable(schema) ? null : Object.fromEntries(members);
  }
  if (control === "") return typeOf(schema) === "string" && !isNullable(schema) ? "" : null;
  if (kind === "json") {
    try {
      return parseJson(control) as Json;
    } catch {
      return control;
    }
  }
  switch (typeOf(schema)) {
    case "integer":
    case "number": {
      // What is picked is as the service wrote it.
      const text = kind === "pick" ? control : typedNumber(control);
      return text !== null && WRITTEN_NUMBER.test(text) ? new ExactNumber(text) : control;
    }
    case "boolean":
      return control === "true" ? true : control === "false" ? false : control;
    default:
      return kind === "moment" ? utcMoment(control) : control;
  }
}

/** What an input holds, as people read it. */
export function controlText(control: Control): string {
  if (typeof control === "string" || typeof control === "boolean") return shown(control);
  if (isRows(control)) return control["#rows"].map(({ group }) => controlText(group)).join("; ") || "–";
  const parts = Array.isArray(control) ? control : Object.values(control).map(controlText);
  return parts.join(", ") || "–";
}

export function sameControl(one: Control | undefined, other: Control | undefined): boolean {
  if (isRows(one) && isRows(other))
    return JSON.stringify(one["#rows"].map((row) => row.group)) === JSON.stringify(other["#rows"].map((row) => row.group));
  return JSON.stringify(one) === JSON.stringify(other);
}

/** The names of fields whose input was changed from what the form was filled with. */
export function changedNames(form: Form, draft: Draft): string[] {
  const start = draftFrom(form);
  return form.writable.filter((name) => !sameControl(start[name], draft[name]));
}

/** The merge patch: changed fields only, and inside a group its changed members only. */
export function patchFrom(form: Form, draft: Draft): Record<string, Json> {
  const start = draftFrom(form);
  return Object.fromEntries(
    changedNames(form, draft).map((name) => {
      const schema = form.schema.properties[name] ?? { type: "string" };
      const control = draft[name] ?? "";
      const value = valueOf(schema, kindIn(form, name), control);
      return [
        name,
        value !== null && isGroup(control) && isGroup(start[name]) ? groupPatch(schema, start[name], control) : value,
      ];
    }),
  );
}

function isGroup(control: Control | undefined): control is Group {
  return typeof control === "object" && !Array.isArray(control) && !isRows(control);
}

function groupPatch(schema: FieldSchema, start: Record<string, Control>, control: Record<string, Control>): Json {
  const changed = Object.entries(schema.properties ?? {}).filter(([name]) => !sameControl(start[name], control[name]));
  return Object.fromEntries(changed.map(([name, one]) => [name, valueOf(one, innerKind(one), control[name] ?? "")]));
}

/** All that was filled in, for a record to create: what was left empty is left out. */
export function fieldsFrom(form: Form, draft: Draft): Record<string, Json> {
  return Object.fromEntries(
    form.writable.flatMap((name): [string, Json][] => {
      const schema = form.schema.properties[name] ?? { type: "string" };
      const value = valueOf(schema, kindIn(form, name), draft[name] ?? "");
      return value === null || value === "" ? [] : [[name, value]];
    }),
  );
}

/** Whether the service keeps a field itself. */
export const isReserved = (schema: FieldSchema | undefined): boolean => schema?.["x-reserved"] === true;

/** Whether a column holds figures, which are compared by their places; a key that is shown by its name is none. */
export function isFigure(schema: FieldSchema | undefined): boolean {
  return schema !== undefined && schema["x-references"] === undefined && ["integer", "number"].includes(typeOf(schema));
}

/** What a cell of a list shows: what a reference or an owner stands for, where the page tells; of a key, its signs. */
export function cellText(page: Page, row: Row, name: string, key = ""): string {
  const value = row[name];
  const label = page.labels?.[name]?.[textOf(value)];
  if (label !== undefined) return label;
  if (name === key) return textOf(value);
  return typeof value === "number" || value instanceof ExactNumber ? groupedNumber(textOf(value)) : shown(value);
}

/** The address of a record's page. */
export function addressOf(collection: string, key: Json | undefined): string {
  return `/c/${collection}/r/${encodeURIComponent(textOf(key))}`;
}

/** What of an address of a new record is filled in. */
const GIVEN = "set.";

/** The address where a record is made, with what is filled in already. */
export function newAddress(collection: string, given: Draft): string {
  const texts = Object.entries(given).flatMap(([name, value]): [string, string][] =>
    typeof value === "string" ? [[`${GIVEN}${name}`, value]] : [],
  );
  return `/c/${collection}/new${texts.length > 0 ? `?${new URLSearchParams(texts)}` : ""}`;
}

/** What an address of a new record fills in, of what can be given there. */
export function givenIn(form: Form, params: URLSearchParams): Draft {
  const named = [...params].map(([name, value]): [string, string] => {
    const field = name.slice(GIVEN.length);
    return [field, kindIn(form, field) === "number" ? localNumber(value) : value];
  });
  return Object.fromEntries(
    named.filter(([name], place) => [...params.keys()][place]?.startsWith(GIVEN) && form.writable.includes(name)),
  );
}

/** What is taken over from another record into a new one: all but what no two of them share. */
export function copiedFrom(form: Form, source: Form): Draft {
  const own = form.writable.filter((name) => {
    const schema = form.schema.properties[name];
    return source.values[name] !== undefined && !schema?.["x-unique"] && name !== form.schema["x-key"];
  });
  const draft = draftFrom({ ...form, values: source.values });
  return Object.fromEntries(own.map((name) => [name, draft[name] ?? ""]));
}

/** The value of a field as people know it: by what it stands for, where it is a choice. */
export function labelIn(form: Form, name: string): Json {
  const value = form.values[name] ?? null;
  return form.choices[name]?.options.find((one) => textOf(one.value) === textOf(value))?.label ?? value;
}

/** The entity tag of a version of the record in a form. */
export function tagOf(form: Form, version: number): string {
  return `"${textOf(form.values["id"])}.${version}"`;
}
