import { ask, askForFile, type Answer } from "./http";
import type { Wanted } from "./records";

const LIST = "/v1/records/{collection}";
const IMPORT = "/v1/records/{collection}/import";

/** The kinds of file there are, by the endings of their names: their media types, and what people call them. */
export const KINDS = {
  csv: { type: "text/csv", title: "CSV" },
  xlsx: { type: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", title: "Spreadsheet" },
  jsonl: { type: "application/jsonl", title: "JSON Lines" },
} as const;
export type Kind = keyof typeof KINDS;

/** What a file is, by its name. */
export function kindOf(name: string): Kind | null {
  const ending = name.split(".").pop()?.toLowerCase() ?? "";
  return ending in KINDS ? (ending as Kind) : null;
}

export type Imported = Answer<typeof IMPORT, "post">;
export type Mode = "create" | "update" | "both";
export type Blank = "keep" | "clear" | "reject";

export interface ImportOptions {
  mode: Mode;
  blank: Blank;
  /** By column, the field that it stands for, or null for none; what is left out is matched by name. */
  match: Record<string, string | null>;
  preview: boolean;
}

/** Brings in the rows of a file, or tells what would become of the first of them. */
export const importRows = (collection: string, file: File, kind: Kind, { mode, blank, match, preview }: ImportOptions) =>
  ask(IMPORT, "post", {
    at: { collection },
    query: { mode, blank, preview, map: Object.keys(match).length > 0 ? JSON.stringify(match) : null },
    file: { content: file, type: KINDS[kind].type },
  });

/** A list as a file, whole. */
export const exportList = (collection: string, { q, where }: Wanted, sort: string, kind: Kind): Promise<Blob> =>
  askForFile(LIST, { at: { collection }, query: { q, where, sort } }, KINDS[kind].type);
