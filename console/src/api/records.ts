import { keepPreviousData, queryOptions, skipToken, type QueryClient } from "@tanstack/react-query";
import { writeJson, type Json } from "../lib/json";
import { ApiError } from "./errors";
import { ask, type Answer } from "./http";
import type { CollectionInfo, Fields, Form, Preview, Row } from "./types";

export const PAGE_SIZE = 25;
/** How many records a reference input offers of those a search finds. */
const OFFERED = 30;

const MANY = "/v1/records/{collection}";
const ONE = "/v1/records/{collection}/{key}";

/** Everything known of a collection's records; invalidated whole when one of them changes. */
export const inCollection = (collection: string) => ["records", collection] as const;

export const refreshCollection = (client: QueryClient, collection: string): Promise<void> =>
  client.invalidateQueries({ queryKey: inCollection(collection) });

// --- reading -----------------------------------------------------------------------------------------

/** Which records a list is of: words that are found in them, and a condition that holds. */
export interface Wanted {
  q: string;
  where: string;
}

export const pageOf = (collection: string, { q, where }: Wanted, sort: string, after: string, limit = PAGE_SIZE) =>
  queryOptions({
    queryKey: [...inCollection(collection), "list", q, where, sort, after, limit],
    queryFn: ({ signal }) =>
      ask(MANY, "get", {
        at: { collection },
        query: { q, where, sort, limit, cursor: after, labels: true, writable: true },
        signal,
      }),
    placeholderData: keepPreviousData,
    // Who scrolls through a long list leaves very many behind.
    gcTime: 60_000,
  });

/** How many records a search finds. */
export const countOf = (collection: string, { q, where }: Wanted) =>
  queryOptions({
    queryKey: [...inCollection(collection), "count", q, where],
    queryFn: async ({ signal }) =>
      (await ask(MANY, "get", { at: { collection }, query: { q, where, limit: 1, count: true }, signal })).count ?? 0,
  });

/** Never kept: a form is filled from what is stored at the moment it is opened; each `turn` asks anew. */
export const formOf = (collection: string, key: string, turn = 0) =>
  queryOptions({
    queryKey: ["form", collection, key, turn],
    // Its schema is a JSON Schema, which the OpenAPI document leaves open.
    queryFn: async ({ signal }) => (await ask(`${ONE}/form`, "get", { at: { collection, key }, signal })) as unknown as Form,
    gcTime: 0,
    staleTime: Infinity,
  });

/** What a reference may be set to, for words typed so far: what a search finds, else the record of that very key. */
export const offeredOf = (target: CollectionInfo | undefined, words: string) =>
  queryOptions({
    queryKey: [...inCollection(target?.name ?? ""), "offered", words],
    queryFn: target === undefined || words === "" ? skipToken : ({ signal }) => offered(target, words, signal),
    staleTime: 30_000,
    placeholderData: keepPreviousData,
  });

async function offered(target: CollectionInfo, words: string, signal: AbortSignal): Promise<Row[]> {
  const collection = target.name;
  const query = { q: words, sort: target.key, limit: OFFERED };
  const found = target.searched.length > 0 ? (await ask(MANY, "get", { at: { collection }, query, signal })).items : [];
  if (target.searched.includes(target.key)) return found;
  const exact = await ask(ONE, "get", { at: { collection, key: words }, signal }).catch(nothingThere);
  return exact === null || found.some((row) => row.id === exact.id) ? found : [exact, ...found];
}

function nothingThere(error: unknown): null {
  if (error instanceof ApiError && error.status === 404) return null;
  throw error;
}

/** A record as it would be once these fields were saved; not asked where nothing is to be. */
export const wouldBe = (collection: string, key: string, fields: Fields | null, base: string | null) =>
  queryOptions({
    queryKey: ["would be", collection, key, base, fields === null ? "" : writeJson(fields)],
    queryFn:
      fields === null
        ? skipToken
        : async ({ signal }) =>
            (await ask(`${ONE}/preview`, "post", { at: { collection, key }, body: fields, query: { base }, signal })).record,
    placeholderData: keepPreviousData,
    gcTime: 0,
    staleTime: Infinity,
    retry: false,
  });

// --- changing ----------------------------------------------------------------------------------------

/** What was saved, and the id of the request that did it, by which the history knows it. */
export interface Done<Saved> {
  saved: Saved;
  request: string;
}

async function done<Saved>(doing: (onHeaders: (headers: Headers) => void) => Promise<Saved>): Promise<Done<Saved>> {
  let request = "";
  const saved = await doing((headers) => (request = headers.get("X-Request-ID") ?? ""));
  return { saved, request };
}

/** Of a record that whoever made it may not see there is no more than its id and key. */
export const createRecord = (collection: string, fields: Fields): Promise<Done<Partial<Row>>> =>
  done<Partial<Row>>((onHeaders) => ask(MANY, "post", { at: { collection }, body: fields, onHeaders }));

/**
 * `base` is the entity tag of what was seen: what others changed since in other fields is kept. Null where the
 * change took the record out of sight.
 */
export const updateRecord = (collection: string, key: string, fields: Fields, base: string | null): Promise<Done<Row | null>> =>
  done<Row | null>((onHeaders) => ask(ONE, "patch", { at: { collection, key }, body: fields, query: { base }, onHeaders }));

export const previewRecord = (collection: string, key: string, fields: Fields, base: string | null): Promise<Preview> =>
  ask(`${ONE}/preview`, "post", { at: { collection, key }, body: fields, query: { base } });

export type Many = Answer<typeof MANY, "patch">;

/** What a change of all records that a filter chooses comes to; only told beforehand, or done, each on its own. */
export const changeMany = (collection: string, where: string, fields: Fields, expect: number | null): Promise<Many> =>
  ask(MANY, "patch", {
    at: { collection },
    body: fields,
    query: { where, expect, preview: expect === null, atomic: false },
  });

/** The same of deleting them. */
export const deleteMany = (collection: string, where: string, expect: number | null): Promise<Many> =>
  ask(MANY, "delete", {
    at: { collection },
    query: { where, expect, preview: expect === null, atomic: false },
  });

/** What is to become of one of several records; `base` is the version that was seen. */
export interface Item {
  key: Json;
  fields: Fields;
  base: number;
}

export type Results = Answer<"/v1/batch", "post">;

/** Changes several records in one request: all or nothing, or each on its own. */
export const changeEach = (collection: string, items: Item[], atomic: boolean): Promise<Results> =>
  ask("/v1/batch", "post", { body: batchOf(collection, items, atomic) });

/** What would become of each: asked anew each time, and kept for nobody. */
export const changingEach = (collection: string, items: Item[]) =>
  queryOptions({
    queryKey: [...inCollection(collection), "changing each", writeJson(items as unknown as Json)],
    queryFn: async () =>
      (await ask("/v1/batch", "post", { query: { preview: true }, body: batchOf(collection, items, false) })).results,
    gcTime: 0,
    retry: false,
  });

// What an item holds depends on its action, in the OpenAPI document by its shape alone.
const batchOf = (collection: string, items: Item[], atomic: boolean) =>
  ({ atomic, items: items.map((one) => ({ action: "update", collection, ...one })) }) as never;

/** What deleting them would come to: asked anew each time, and kept for nobody. */
export const deletingOf = (collection: string, where: string) =>
  queryOptions({
    queryKey: [...inCollection(collection), "deleting", where],
    queryFn: () => deleteMany(collection, where, null),
    gcTime: 0,
    retry: false,
  });

export const deleteRecord = (collection: string, key: string, etag: string | null): Promise<Done<Row>> =>
  done<Row>((onHeaders) => ask(ONE, "delete", { at: { collection, key }, etag, onHeaders }));
