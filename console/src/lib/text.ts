import { ExactNumber, isObject, type Json } from "./json";
import { localNumber } from "./numbers";

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const MOMENT = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(\.\d+)?Z$/;

const dayFormat = new Intl.DateTimeFormat(undefined, { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });
const momentFormat = new Intl.DateTimeFormat(undefined, {
  day: "numeric",
  month: "short",
  year: "numeric",
  hour: "2-digit",
  minute: "2-digit",
});

const timeFormat = new Intl.DateTimeFormat(undefined, { hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** What time it was, to the second, in the reader's own time zone. */
export function timeOfDay(text: string): string {
  return timeFormat.format(new Date(text));
}

/** A moment as people read it, in their own time zone. */
export function moment(text: string): string {
  return momentFormat.format(new Date(text));
}

/** A moment as an input of type datetime-local takes it, in the reader's own zone. */
export function localMoment(text: string): string {
  const at = new Date(text);
  if (text === "" || Number.isNaN(at.getTime())) return text;
  const two = (number: number) => String(number).padStart(2, "0");
  const day = `${String(at.getFullYear()).padStart(4, "0")}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day}T${two(at.getHours())}:${two(at.getMinutes())}:${two(at.getSeconds())}`;
}

/** What such an input holds as the moment it stands for, in UTC; what cannot be read stays as it is. */
export function utcMoment(text: string): string {
  const at = new Date(text);
  return text === "" || Number.isNaN(at.getTime()) ? text : at.toISOString();
}

/** The reader's time zone, as people call it. */
export const zone: string = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** A title within a sentence: “Work ticket” becomes “work ticket”, “VAT number” stays. */
export function inSentence(title: string): string {
  return /^\p{Lu}\p{Lu}/u.test(title) ? title : title.charAt(0).toLowerCase() + title.slice(1);
}

/** Any value as people read it; nothing shows as a dash. */
export function shown(value: Json | undefined): string {
  if (value === null || value === undefined || value === "") return "–";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (value instanceof ExactNumber) return localNumber(value.value);
  if (typeof value === "number") return localNumber(String(value));
  if (typeof value === "string") {
    if (DAY.test(value)) return dayFormat.format(new Date(`${value}T00:00:00Z`));
    return MOMENT.test(value) ? moment(value) : value;
  }
  // What belongs together is told from the next.
  if (Array.isArray(value)) return value.map(shown).join(value.some(isObject) ? "; " : ", ") || "–";
  return isObject(value) ? Object.values(value).map(shown).join(", ") : "–";
}
