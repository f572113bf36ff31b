import type { Json } from "../lib/json";
import { ask } from "./http";
import type { CollectionInfo, CollectionSchema, Form, Health, HistoryPage, Page, Preview, Row, Session } from "./types";

const part = encodeURIComponent;

export interface ListAsk {
  q: string;
  sort: string;
  limit: number;
  cursor: string | null;
}

export const readSession = async (signal?: AbortSignal): Promise<Session> =>
  (await ask("/v1/session", signal ? { signal } : {})) as Session;

export const readHealth = async (): Promise<Health> => (await ask("/healthz")) as Health;

export const readCollections = async (): Promise<CollectionInfo[]> =>
  ((await ask("/v1/schemas")) as { items: CollectionInfo[] }).items;

export const readSchema = async (collection: string): Promise<CollectionSchema> =>
  (await ask(`/v1/schemas/${part(collection)}`)) as CollectionSchema;

export const readPage = async (collection: string, asked: ListAsk, signal: AbortSignal): Promise<Page> =>
  (await ask(`/v1/records/${part(collection)}`, { query: { ...asked, labels: "true" }, signal })) as Page;

/** How many records a search finds. */
export const readCount = async (collection: string, q: string, signal: AbortSignal): Promise<number> =>
  ((await ask(`/v1/records/${part(collection)}`, { query: { q, limit: 1, count: "true" }, signal })) as Page).count ?? 0;

export const readRecord = async (collection: string, key: string, signal: AbortSignal): Promise<Row> =>
  (await ask(`/v1/records/${part(collection)}/${part(key)}`, { signal })) as Row;

export const readForm = async (collection: string, key: string, signal: AbortSignal): Promise<Form> =>
  (await ask(`/v1/records/${part(collection)}/${part(key)}/form`, { signal })) as Form;

export const readCreateForm = async (collection: string, signal: AbortSignal): Promise<Form> =>
  (await ask(`/v1/schemas/${part(collection)}`, { query: { for: "create" }, signal })) as Form;

export const readHistory = async (
  collection: string,
  key: string,
  below: number | null,
  signal: AbortSignal,
): Promise<HistoryPage> =>
  (await ask(`/v1/records/${part(collection)}/${part(key)}/history`, { query: { limit: 20, below }, signal })) as HistoryPage;

export type Fields = { [name: string]: Json };

export const createRecord = async (collection: string, fields: Fields): Promise<Row> =>
  (await ask(`/v1/records/${part(collection)}`, { method: "POST", body: fields })) as Row;

/** `base` is the entity tag of what was seen: what others changed since in other fields is kept. */
export const updateRecord = async (collection: string, key: string, fields: Fields, base: string | null): Promise<Row> =>
  (await ask(`/v1/records/${part(collection)}/${part(key)}`, { method: "PATCH", body: fields, query: { base } })) as Row;

export const previewRecord = async (collection: string, key: string, fields: Fields, base: string | null): Promise<Preview> =>
  (await ask(`/v1/records/${part(collection)}/${part(key)}/preview`, {
    method: "POST",
    body: fields,
    query: { base },
  })) as Preview;

export const deleteRecord = async (collection: string, key: string, etag: string | null): Promise<Row> =>
  (await ask(`/v1/records/${part(collection)}/${part(key)}`, { method: "DELETE", etag })) as Row;
