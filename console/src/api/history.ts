import { infiniteQueryOptions, queryOptions, skipToken } from "@tanstack/react-query";
import { ask, askForFile, type Answer } from "./http";
import { inCollection } from "./records";
import type { Entry, Form, Preview, Row } from "./types";

const PAGE_SIZE = 20;
const ONE = "/v1/records/{collection}/{key}";

/** Which entries of a record are wanted: those that changed a field, or by one account; all where empty. */
export interface EntryFilter {
  field: string;
  actor: string;
}

/** Who changed what in a record, newest first; read anew when any record of its collection changes. */
export const historyOf = (collection: string, key: string, { field, actor }: EntryFilter) =>
  infiniteQueryOptions({
    queryKey: [...inCollection(collection), "history", key, field, actor],
    queryFn: ({ pageParam, signal }) =>
      ask(`${ONE}/history`, "get", {
        at: { collection, key },
        query: { limit: PAGE_SIZE, below: pageParam, field, actor },
        signal,
      }),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
  });

/** Changes of one field that are read at most, and how many at a time. */
const MOST_PAGES = 5;
const AT_ONCE = 200;

export interface Changes {
  /** Newest first. */
  entries: Entry[];
  people: Record<string, string>;
  /** Whether there are no earlier ones. */
  whole: boolean;
}

/** The changes of one field of a record, for a picture of it. */
export const changesOf = (collection: string, key: string, field: string) =>
  queryOptions({
    queryKey: [...inCollection(collection), "changes of", key, field],
    queryFn:
      field === ""
        ? skipToken
        : async ({ signal }): Promise<Changes> => {
            const found: Changes = { entries: [], people: {}, whole: false };
            let below: number | null = null;
            for (let page = 0; page < MOST_PAGES && !found.whole; page++) {
              const query: { field: string; limit: number; below: number | null } = { field, limit: AT_ONCE, below };
              const next = await ask(`${ONE}/history`, "get", { at: { collection, key }, query, signal });
              found.entries.push(...next.items);
              Object.assign(found.people, next.people);
              below = next.next;
              found.whole = below === null && next.archived.length === 0;
              if (below === null) break;
            }
            return found;
          },
  });

/** What a search of the whole history asks; empty ones ask nothing. */
export interface Search {
  collection: string;
  actor: string;
  action: string;
  field: string;
  reason: string;
  where: string;
  from: string;
  to: string;
}

export const entriesOf = (search: Search) =>
  infiniteQueryOptions({
    queryKey: ["history", search],
    queryFn: ({ pageParam, signal }) => ask("/v1/history", "get", { query: { ...search, limit: 50, below: pageParam }, signal }),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
    retry: false,
  });

export type Activity = Answer<"/v1/history/activity">;

export const activityOf = ({ collection, actor, from, to }: Search, by: "collection" | "actor") =>
  queryOptions({
    queryKey: ["history", "activity", collection, actor, from, to, by],
    queryFn: ({ signal }) => ask("/v1/history/activity", "get", { query: { collection, actor, from, to, by }, signal }),
    retry: false,
  });

/** A record as it was at a version, or at a time; exactly one of them is given. */
export const pastFormOf = (collection: string, key: string, version: number | null, at: string | null) =>
  queryOptions({
    queryKey: [...inCollection(collection), "past", key, version, at],
    queryFn: async ({ signal }) =>
      (await ask(`${ONE}/form`, "get", { at: { collection, key }, query: { version, at }, signal })) as unknown as Form,
  });

export const differenceOf = (collection: string, key: string, from: number, to: number) =>
  queryOptions({
    queryKey: [...inCollection(collection), "difference", key, from, to],
    queryFn: ({ signal }) => ask(`${ONE}/difference`, "get", { at: { collection, key }, query: { from, to }, signal }),
  });

export type Evidence = Answer<`${typeof ONE}/history/evidence`>;

export const evidenceOf = (collection: string, key: string): Promise<Evidence> =>
  ask(`${ONE}/history/evidence`, "get", { at: { collection, key } });

/** The same as a file, byte for byte as the service gives it. */
export const evidenceFile = (collection: string, key: string): Promise<Blob> =>
  askForFile(`${ONE}/history/evidence`, { at: { collection, key } }, "application/json");

// --- the way back --------------------------------------------------------------------------------------

/** What is looked at before it is done: asked anew each time, and kept for nobody. */
const LOOKED = { gcTime: 0, retry: false } as const;

/** What going back to a version would do; null is the last one of a deleted record. */
export const restoringOf = (collection: string, key: string, version: number | null) =>
  queryOptions({
    queryKey: [...inCollection(collection), "restoring", key, version],
    queryFn: async ({ signal }) =>
      (await ask(`${ONE}/restore`, "post", { at: { collection, key }, query: { version, preview: true }, signal })) as Preview,
    ...LOOKED,
  });

export const restoreRecord = async (collection: string, key: string, version: number | null): Promise<Row | null> =>
  (await ask(`${ONE}/restore`, "post", { at: { collection, key }, query: { version } })) as Row | null;

export type Undoing = Answer<"/v1/history/{sequence}/undo", "post">;

/** A save to undo, or a batch: all or nothing, or with `each` every save on its own, however many there are. */
export type Undo = { sequence: number } | { batch: string; each?: boolean };

export const undo = (what: Undo, preview = false): Promise<Undoing> =>
  "sequence" in what
    ? ask("/v1/history/{sequence}/undo", "post", { at: { sequence: what.sequence }, query: { preview } })
    : ask("/v1/history/undo", "post", { query: { preview }, body: { batch: what.batch, atomic: !what.each } });

/** Entries that are looked through for a save that was made just now. */
const JUST_NOW = 20;

/**
 * Takes back what a request did to a record; false where that was nothing, or too long ago to be found. Throws
 * `ApiError`, also where others changed the same since.
 */
export async function undoRequest(collection: string, key: string, request: string): Promise<boolean> {
  const { items } = await ask(`${ONE}/history`, "get", { at: { collection, key }, query: { limit: JUST_NOW } });
  // What followed of it by itself goes with it.
  const made = items.find((one) => one.request_id === request && one.cause === null);
  if (made === undefined) return false;
  await undo({ sequence: made.sequence });
  return true;
}

/** What undoing would do, and what stands in its way. */
export const undoingOf = (what: Undo) =>
  queryOptions({ queryKey: ["history", "undoing", what], queryFn: () => undo(what, true), ...LOOKED });

/** Gives the names of the files that hold still what was erased: copies of the database that were made before. */
export async function eraseFields(collection: string, key: string, fields: string[], reason: string): Promise<string[]> {
  let copies = "";
  await ask(`${ONE}/erase`, "post", {
    at: { collection, key },
    body: { fields, reason },
    onHeaders: (headers) => (copies = headers.get("Fenland-Copies") ?? ""),
  });
  return [...copies.matchAll(/"([^"]*)"/g)].map(([, name]) => decodeURIComponent(name ?? ""));
}

/** Whether a query is of what the history holds, and not of what undoing would do, which somebody is looking at. */
export const isSettledHistory = (key: readonly unknown[]) => key[0] === "history" && key[1] !== "undoing";
