/** Numbers as people of a language write them, exactly: digits are moved about, and never worked out. */

/** As JSON has it. */
export const WRITTEN_NUMBER = /^-?(0|[1-9]\d*)(\.\d+)?([eE][-+]?\d+)?$/;
/** From here on digits are set in groups; 2026 is no amount. */
const GROUPED_FROM = 5;

interface Signs {
  decimal: string;
  group: string;
}

const known = new Map<string | undefined, Signs>();

function signsOf(language: string | undefined): Signs {
  const found = known.get(language) ?? readSigns(language);
  known.set(language, found);
  return found;
}

function readSigns(language: string | undefined): Signs {
  const parts = new Intl.NumberFormat(language, { useGrouping: true }).formatToParts(-1234567.8);
  const sign = (type: string) => parts.find((one) => one.type === type)?.value;
  return { decimal: sign("decimal") ?? ".", group: sign("group") ?? "" };
}

const SPACE = /\s/u;
const SPACES = /\s/gu;

/** What somebody typed as JSON has it; null where it is no number. */
export function typedNumber(typed: string, language?: string): string | null {
  const { decimal, group } = signsOf(language);
  const text = typed
    .trim()
    .replace(/^\u2212/, "-")
    .replace(/^\+/, "");
  const [whole = "", ...rest] = text.split(decimal);
  const sign = whole.startsWith("-") ? "-" : "";
  const digits = whole.slice(sign.length);
  // All kinds of spaces group where one does.
  const bare = SPACE.test(group) ? digits.replace(SPACES, " ") : digits;
  const between = SPACE.test(group) ? " " : group;
  const groups = between === "" ? [bare] : bare.split(between);
  const isGrouped = groups.length > 1 && /^\d{1,3}$/.test(groups[0] ?? "") && groups.slice(1).every((one) => /^\d{3}$/.test(one));
  const found = [sign + (isGrouped ? groups.join("") : digits), ...rest].join(".");
  const plain = found.replace(/^(-?)0+(?=\d)/, "$1");
  if (rest.length < 2 && WRITTEN_NUMBER.test(plain)) return plain;
  // A point from the digits' own keys, where it can be nothing else.
  return WRITTEN_NUMBER.test(text) ? text : null;
}

/** A number of JSON with the language's sign between its digits and its fraction. */
export function localNumber(text: string, language?: string): string {
  return WRITTEN_NUMBER.test(text) ? text.replace(".", signsOf(language).decimal) : text;
}

/** The same with its digits in groups, where there are many. */
export function groupedNumber(text: string, language?: string): string {
  if (!WRITTEN_NUMBER.test(text) || /[eE]/.test(text)) return localNumber(text, language);
  const { decimal, group } = signsOf(language);
  const [whole = "", fraction] = text.split(".");
  const sign = whole.startsWith("-") ? "-" : "";
  const digits = whole.slice(sign.length);
  const grouped = digits.length < GROUPED_FROM ? digits : digits.replace(/\B(?=(\d{3})+$)/g, group);
  return sign + grouped + (fraction === undefined ? "" : decimal + fraction);
}
