import type { Imported, Kind } from "../../api/files";
import { isObject, writeJson, type Json } from "../../lib/json";

/** What stands beside the cells of a refused row; neither is taken for a field when the file comes back. */
const ROW = "_row";
const REASON = "_reason";

/** A text as a cell of CSV that no spreadsheet program works out; bringing it in takes the mark away again. */
function cellOf(value: string): string {
  const text = /^[=+\-@\t\r']/.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

const textOf = (value: Json | undefined): string =>
  value === null || value === undefined ? "" : typeof value === "string" ? value : writeJson(value);

/**
 * The refused rows as a file with their reasons, to be corrected and brought in: JSON Lines where they came so, else
 * CSV. Null where none of them is known as it was sent.
 */
export function refusedFile(found: Pick<Imported, "columns" | "problems">, kind: Kind): Blob | null {
  const rows = found.problems.flatMap(({ row, detail, cells }) =>
    isObject(cells) ? [{ [ROW]: row, ...withoutNotes(cells), [REASON]: detail }] : [],
  );
  if (rows.length === 0) return null;
  if (kind === "jsonl")
    return new Blob(
      rows.map((row) => `${writeJson(row)}\n`),
      { type: "application/jsonl" },
    );
  const columns = found.columns.map(({ column }) => column).filter((column) => column !== ROW && column !== REASON);
  const lines = [ROW, ...columns, REASON].map((column) => cellOf(column)).join(",");
  const cells = rows.map((row: Record<string, Json>) =>
    [ROW, ...columns, REASON].map((column) => cellOf(textOf(row[column]))).join(","),
  );
  return new Blob([[lines, ...cells, ""].join("\r\n")], { type: "text/csv" });
}

function withoutNotes(cells: Record<string, Json>): Record<string, Json> {
  return Object.fromEntries(Object.entries(cells).filter(([column]) => column !== ROW && column !== REASON));
}
