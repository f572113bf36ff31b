import { writeJson, type Json } from "../../lib/json";
import type { NotedField, NotedRequest } from "../../api/requests";

type Outcome = NonNullable<NotedField["outcome"]>;

/** What became of a field that was sent, in words. */
export const OUTCOMES: Record<Outcome, string> = {
  set: "Set",
  cleared: "Emptied",
  same: "As it was",
  left: "Left as it was: a blank says nothing here",
  ignored: "Left out: not yours to set",
  refused: "Refused",
  "not saved": "Not saved, for something else",
  followed: "Followed, without being sent",
};

/** A value as it was sent: a text in quotes, so that a number is none. */
export const sentAs = (value: Json | undefined): string => (value === undefined ? "" : writeJson(value));

/** The path and its query. */
export function addressOf(one: Pick<NotedRequest, "path" | "query">): string {
  const parts = Object.entries(one.query ?? {}).map(([name, value]) => `${name}=${value}`);
  return parts.length > 0 ? `${one.path}?${parts.join("&")}` : one.path;
}

/** In a line: why it was refused, or what became of fields. */
export function meantBy(one: Pick<NotedRequest, "problem" | "fields" | "items" | "counts">): string {
  const fields = one.fields ?? [];
  if (one.problem) {
    const wrong = fields.filter((field) => field.code !== undefined).map((field) => `${field.field}: ${field.code ?? ""}`);
    const others = (one.problem.errors ?? []).map((error) => `${error.pointer.replace(/^\//, "") || "record"}: ${error.code}`);
    return [...wrong, ...others].join(", ") || (one.problem.detail ?? one.problem.title);
  }
  if (one.counts)
    return Object.entries(one.counts)
      .map(([name, count]) => `${count} ${name}`)
      .join(", ");
  if (one.items) {
    const refused = one.items.filter((item) => (item.status ?? 0) >= 400).length;
    const all = one.items.length === 1 ? "1 item" : `${one.items.length} items`;
    return refused > 0 ? `${all}, ${refused} refused` : all;
  }
  const told = new Map<string, string[]>();
  for (const { outcome, field } of fields) {
    if (outcome !== undefined && outcome !== "same") told.set(outcome, [...(told.get(outcome) ?? []), field]);
  }
  return [...told].map(([outcome, names]) => `${outcome} ${names.join(", ")}`).join("; ");
}
