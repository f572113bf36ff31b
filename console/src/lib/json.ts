import { isLosslessNumber, LosslessNumber, parse, stringify } from "lossless-json";

/** A number that a JavaScript number would round or shorten: it stays the digits it was sent with. */
export { LosslessNumber as ExactNumber };

export type Json = null | boolean | number | string | LosslessNumber | Json[] | { [name: string]: Json };

/** A type of the OpenAPI document, in which what is any JSON value at all is unknown, with `Json` in its place. */
export type WithJson<T> = unknown extends T
  ? Json
  : T extends (infer One)[]
    ? WithJson<One>[]
    : T extends object
      ? { [Name in keyof T]: WithJson<T[Name]> }
      : T;

export function isObject(value: unknown): value is Record<string, Json> {
  return typeof value === "object" && value !== null && !Array.isArray(value) && !isLosslessNumber(value);
}

/** The value of a JSON text. Numbers that JavaScript writes just as they were sent are plain ones. */
export function parseJson(text: string): unknown {
  return parse(text, null, (digits) => (String(Number(digits)) === digits ? Number(digits) : new LosslessNumber(digits)));
}

export function writeJson(value: Json): string {
  return stringify(value) ?? "null";
}
