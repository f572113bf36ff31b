import type { FieldSchema } from "../../api/types";
import { typedNumber } from "../../lib/numbers";
import { shown } from "../../lib/text";
import { typeOf } from "../../ui/fields";

/** A way to compare a field with a value, in words, and what it becomes in the expression language. */
export interface Comparison {
  id: string;
  words: string;
  /** Whether it needs a value. */
  takes: boolean;
  write: (name: string, value: string) => string;
}

const sign = (id: string, words: string): Comparison => ({
  id,
  words,
  takes: true,
  write: (name, value) => `${name} ${id} ${value}`,
});
const method = (id: string, words: string): Comparison => ({
  id,
  words,
  takes: true,
  write: (name, value) => `${name}.${id}(${value})`,
});
const bare = (id: string, words: string, write: (name: string) => string): Comparison => ({ id, words, takes: false, write });

const EMPTY = [
  bare("empty", "is empty", (name) => `${name} == null`),
  bare("filled", "is not empty", (name) => `${name} != null`),
];
const EQUAL = [sign("==", "is"), sign("!=", "is not")];
const MEASURED = [
  ...EQUAL,
  sign("<", "is less than"),
  sign("<=", "is at most"),
  sign(">", "is more than"),
  sign(">=", "is at least"),
];
const TIMED = [...EQUAL, sign("<", "is before"), sign("<=", "is not after"), sign(">", "is after"), sign(">=", "is not before")];

/** The comparisons that make sense for a field. */
export function comparisonsOf(schema: FieldSchema): Comparison[] {
  switch (typeOf(schema)) {
    case "boolean":
      return [bare("yes", "is yes", (name) => name), bare("no", "is no", (name) => `!${name}`), ...EMPTY];
    case "integer":
    case "number":
      return [...MEASURED, ...EMPTY];
    case "array":
      return [{ id: "in", words: "holds", takes: true, write: (name, value) => `${value} in ${name}` }, ...EMPTY];
    case "object":
      return EMPTY;
    default:
      if (schema.format === "date" || schema.format === "date-time") return [...TIMED, ...EMPTY];
      if (schema.enum !== undefined) return [...EQUAL, ...EMPTY];
      return [...EQUAL, method("contains", "contains"), method("startsWith", "begins with"), ...EMPTY];
  }
}

/** A text as the expression language has it. */
export function quoted(text: string): string {
  return JSON.stringify(text);
}

/** A value as somebody typed it, as a literal of the field's type. */
export function literal(schema: FieldSchema, typed: string): string {
  switch (typeOf(schema)) {
    case "integer":
    case "number":
      return typedNumber(typed) ?? typed.trim();
    default:
      if (schema.format === "date") return `date(${quoted(typed)})`;
      if (schema.format === "date-time") return `timestamp(${quoted(new Date(typed).toISOString())})`;
      return quoted(typed);
  }
}

/** An expression with another condition that must hold, too. */
export function joined(expression: string, condition: string): string {
  const before = expression.trim();
  if (before === "") return condition;
  return before.includes("||") || before.includes("?") ? `(${before}) && ${condition}` : `${before} && ${condition}`;
}

/** The conditions of an expression that must all hold, each as it was written; one where it is anything else. */
export function conditionsOf(expression: string): string[] {
  // Texts of these kinds and remarks are not looked into.
  if (/"""|'''|\br["']|\/\//i.test(expression)) return [expression.trim()];
  const found: string[] = [];
  let depth = 0;
  let quote = "";
  let from = 0;
  for (let at = 0; at < expression.length; at++) {
    const sign = expression.charAt(at);
    if (quote !== "") {
      if (sign === "\\") at++;
      else if (sign === quote) quote = "";
    } else if (sign === '"' || sign === "'") quote = sign;
    else if ("([{".includes(sign)) depth++;
    else if (")]}".includes(sign)) depth--;
    else if (depth === 0 && (sign === "?" || expression.startsWith("||", at))) return [expression.trim()];
    else if (depth === 0 && expression.startsWith("&&", at)) {
      found.push(expression.slice(from, at));
      from = at + 2;
    }
  }
  return [...found, expression.slice(from)].map((one) => one.trim()).filter((one) => one !== "");
}

const PLAIN = /^(\w+) (==|!=|<=?|>=?) (?:(?:date|timestamp)\()?("[^"\\]*"|'[^'\\]*'|[-\w.]+)\)?$/;
const CALLED = /^(\w+)\.(contains|startsWith)\(("[^"\\]*"|'[^'\\]*')\)$/;
const FLAG = /^(!?)(\w+)$/;

/** A condition in words, where it is one that can be put together here; else as it is written. */
export function conditionWords(fields: Record<string, FieldSchema>, condition: string): string {
  const [, flagged, flag = ""] = FLAG.exec(condition) ?? [];
  const [, name = flag, id = "", literalText = ""] = PLAIN.exec(condition) ?? CALLED.exec(condition) ?? [];
  const field = fields[name];
  if (field === undefined) return condition;
  const title = field.title ?? name;
  if (id === "") return `${title}: ${flagged === "!" ? "no" : "yes"}`;
  if (literalText === "null") return `${title} ${id === "==" ? "is empty" : "is not empty"}`;
  const words = comparisonsOf(field).find((one) => one.id === id)?.words;
  const value = /^["']/.test(literalText) ? literalText.slice(1, -1) : literalText;
  return words === undefined ? condition : `${title} ${words} ${shown(value)}`;
}
