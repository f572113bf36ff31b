/** Days as people of a language write them. */

const ISO = /^\d{4}-\d{2}-\d{2}$/;

/** A day as JSON has it (RFC 3339 full-date); null where it is none that can be told. */
export function typedDay(typed: string, language?: string): string | null {
  const text = typed.trim();
  if (ISO.test(text)) return text;
  const month = monthNamed(text, language);
  const figures = (text.match(/\d+/g) ?? []).map(Number);
  // A month that is named stands in no order.
  const parts: string[] = orderOf(language, month === null ? "numeric" : "short").filter(
    (one) => month === null || one !== "month",
  );
  if (figures.length !== parts.length) return null;
  const read = (part: string) => (part === "month" && month !== null ? month : figures[parts.indexOf(part)]);
  const [year, monthOfYear, day] = [read("year"), read("month"), read("day")];
  if (year === undefined || monthOfYear === undefined || day === undefined || year < 1000) return null;
  const two = (number: number) => String(number).padStart(2, "0");
  const found = `${year}-${two(monthOfYear)}-${two(day)}`;
  const at = new Date(`${found}T00:00:00Z`);
  return !Number.isNaN(at.getTime()) && at.toISOString().startsWith(found) ? found : null;
}

/** In which order a language writes day, month and year; where the month is named it may be another. */
function orderOf(language: string | undefined, month: "numeric" | "short"): string[] {
  const style = { day: "numeric", month, year: "numeric", timeZone: "UTC" } as const;
  const parts = new Intl.DateTimeFormat(language, style).formatToParts(new Date(0));
  return parts.map((one): string => one.type).filter((one) => ["day", "month", "year"].includes(one));
}

function monthNamed(text: string, language: string | undefined): number | null {
  const words: string[] = text.toLowerCase().match(/\p{L}+/gu) ?? [];
  if (words.length === 0) return null;
  for (const style of ["long", "short"] as const) {
    const names = new Intl.DateTimeFormat(language, { day: "numeric", month: style, timeZone: "UTC" });
    for (let month = 0; month < 12; month++) {
      const parts = names.formatToParts(new Date(Date.UTC(2031, month, 1)));
      const name = parts
        .find((one) => one.type === "month")
        ?.value.toLowerCase()
        .replace(/\.$/, "");
      if (name !== undefined && words.includes(name)) return month + 1;
    }
  }
  return null;
}
