import { queryOptions } from "@tanstack/react-query";
import { ask } from "./http";

/** What is told of one right: whether it is there, by which rule, and which parts of it decided. */
export interface Told {
  allowed: boolean;
  because?: string;
  rule?: string;
  file?: string;
  line?: number;
  parts?: { part: string; value: boolean | null; why?: string }[];
  depends?: string;
}

export interface Access {
  account: string;
  rights: Record<string, Told>;
  fields: Record<string, { read: Told; update: Told }>;
}

/** `always`, `never`, `owner`, `where`, or as the record. */
export interface Cell {
  may: string;
  if?: string;
}

export interface ByRole {
  role: string | null;
  rights: Record<string, Cell>;
}

export interface Rules {
  rights: string[];
  roles: ByRole[];
  fields: { field: string; title: string; roles: ByRole[] }[];
  rules: Record<string, { rule: string; file: string; line: number }>;
  checks: { rule: string; message: string; fields: string[] }[];
}

/** What may be done with a record, and why; for a named account, where somebody manages accounts. */
export const accessOf = (collection: string, key: string, account: string) =>
  queryOptions({
    queryKey: ["records", collection, "access", key, account],
    // The OpenAPI document leaves rights and fields open: they are the definition's.
    queryFn: async ({ signal }) =>
      (await ask("/v1/records/{collection}/{key}/access", "get", {
        at: { collection, key },
        query: { account },
        signal,
      })) as unknown as Access,
  });

export const rulesOf = (collection: string) =>
  queryOptions({
    queryKey: ["rules", collection],
    queryFn: async ({ signal }) =>
      (await ask("/v1/schemas/{collection}/access", "get", { at: { collection }, signal })) as unknown as Rules,
  });
