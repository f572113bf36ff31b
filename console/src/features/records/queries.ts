import { infiniteQueryOptions, queryOptions, type QueryClient } from "@tanstack/react-query";
import { ApiError } from "../../api/errors";
import { readCollections, readCreateForm, readForm, readHistory, readPage, readSchema } from "../../api/records";

export const PAGE_SIZE = 25;

/** Everything known of a collection's records; invalidated whole when one of them changes. */
const inCollection = (collection: string) => ["records", collection] as const;

export const pagesOf = (collection: string, q: string, sort: string) =>
  infiniteQueryOptions({
    queryKey: [...inCollection(collection), "list", q, sort],
    queryFn: ({ pageParam, signal }) => readPage(collection, { q, sort, limit: PAGE_SIZE, cursor: pageParam }, signal),
    initialPageParam: null as string | null,
    getNextPageParam: (last) => last.next,
  });

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

export const collectionInfo = (collection: string) =>
  queryOptions({
    queryKey: ["collections"],
    queryFn: readCollections,
    staleTime: 300_000,
    select: (all) => {
      const found = all.find((one) => one.name === collection);
      if (found === undefined) throw new ApiError(404, "not-found", `There is no collection “${collection}”.`);
      return found;
    },
  });
