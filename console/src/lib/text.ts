import { ExactNumber, isObject, type Json } from "./json";

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const MOMENT = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(\.\d+)?Z$/;

const dayFormat = new Intl.DateTimeFormat(undefined, { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });
const momentFormat = new Intl.DateTimeFormat(undefined, {
  day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit",
});

/** A moment as people read it, in their own time zone. */
export function moment(text: string): string {
  return momentFormat.format(new Date(text));
}

/** Any value as people read it; nothing shows as a dash. */
export function shown(value: Json | undefined): string {
  if (value === null || value === undefined || value === "") return "–";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (value instanceof ExactNumber) return value.text;
  if (typeof value === "number") return String(value);
  if (typeof value === "string") {
    if (DAY.test(value)) return dayFormat.format(new Date(`${value}T00:00:00Z`));
    return MOMENT.test(value) ? moment(value) : value;
  }
  if (Array.isArray(value)) return value.map(shown).join(", ") || "–";
  return isObject(value) ? Object.values(value).map(shown).join(", ") : "–";
}
