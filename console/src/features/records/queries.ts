import { infiniteQueryOptions, keepPreviousData, queryOptions, skipToken, type QueryClient } from "@tanstack/react-query";
import { readCount, readCreateForm, readForm, readHistory, readPage, readRecord, readSchema } from "../../api/records";
import { ApiError } from "../../api/errors";
import type { CollectionInfo, Row } from "../../api/types";

export const PAGE_SIZE = 25;
/** How many records a reference input offers of those a search finds. */
const OFFERED = 30;

/** Everything known of a collection's records; invalidated whole when one of them changes. */
const inCollection = (collection: string) => ["records", collection] as const;

export const pageOf = (collection: string, q: string, sort: string, after: string) =>
  queryOptions({
    queryKey: [...inCollection(collection), "list", q, sort, after],
    queryFn: ({ signal }) => readPage(collection, { q, sort, limit: PAGE_SIZE, cursor: after || null }, signal),
    placeholderData: keepPreviousData,
  });

export const countOf = (collection: string, q: string) =>
  queryOptions({
    queryKey: [...inCollection(collection), "count", q],
    queryFn: ({ signal }) => readCount(collection, q, signal),
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
  const asked = { q: words, sort: target.key, limit: OFFERED, cursor: null };
  const found = target.searched.length > 0 ? (await readPage(target.name, asked, signal)).items : [];
  if (target.searched.includes(target.key)) return found;
  const exact = await readRecord(target.name, words, signal).catch(nothingThere);
  return exact === null || found.some((row) => row.id === exact.id) ? found : [exact, ...found];
}

function nothingThere(error: unknown): null {
  if (error instanceof ApiError && error.status === 404) return null;
  throw error;
}

export const schemaOf = (collection: string) =>
  queryOptions({ queryKey: ["schema", collection], queryFn: () => readSchema(collection), staleTime: 300_000 });

/** Never kept: a form is filled from what is stored at the moment it is opened. */
export const formOf = (collection: string, key: string) =>
  queryOptions({
    queryKey: ["form", collection, key],
    queryFn: ({ signal }) => readForm(collection, key, signal),
    gcTime: 0,
    staleTime: Infinity,
  });

export const createFormOf = (collection: string) =>
  queryOptions({
    queryKey: ["form", collection],
    queryFn: ({ signal }) => readCreateForm(collection, signal),
    gcTime: 0,
    staleTime: Infinity,
  });

export const historyOf = (collection: string, key: string) =>
  infiniteQueryOptions({
    queryKey: [...inCollection(collection), "history", key],
    queryFn: ({ pageParam, signal }) => readHistory(collection, key, pageParam, signal),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
  });

export const refreshCollection = (client: QueryClient, collection: string): Promise<void> =>
  client.invalidateQueries({ queryKey: inCollection(collection) });
