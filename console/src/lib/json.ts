/**
 * JSON whose decimals survive: the service keeps exact decimals, which JavaScript's numbers would
 * round or shorten. A number that a JavaScript number would write otherwise stays as its text.
 */
export class ExactNumber {
  constructor(readonly text: string) {}

  toString(): string {
    return this.text;
  }
}

export type Json = null | boolean | number | string | ExactNumber | Json[] | { [name: string]: Json };

export function isObject(value: unknown): value is Record<string, Json> {
  return typeof value === "object" && value !== null && !Array.isArray(value) && !(value instanceof ExactNumber);
}

/** Browsers tell the reviver the source text of a number; where they do not, it stays a plain number. */
type Reviver = (this: unknown, name: string, value: unknown, context?: { source?: string }) => unknown;

export function parseJson(text: string): unknown {
  const revive: Reviver = (_name, value, context) =>
    typeof value === "number" && context?.source !== undefined && context.source !== String(value)
      ? new ExactNumber(context.source)
      : value;
  return JSON.parse(text, revive);
}

export function writeJson(value: Json): string {
  if (value instanceof ExactNumber) return value.text;
  if (Array.isArray(value)) return `[${value.map(writeJson).join(",")}]`;
  if (isObject(value)) {
    return `{${Object.entries(value)
      .map(([name, one]) => `${JSON.stringify(name)}:${writeJson(one)}`)
      .join(",")}}`;
  }
  return JSON.stringify(value);
}
