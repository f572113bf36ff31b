import { infiniteQueryOptions } from "@tanstack/react-query";
import { ask } from "./http";
import { inCollection } from "./records";

const PAGE_SIZE = 20;

/** Who changed what in a record, newest first; read anew when any record of its collection changes. */
export const historyOf = (collection: string, key: string) =>
  infiniteQueryOptions({
    queryKey: [...inCollection(collection), "history", key],
    queryFn: ({ pageParam, signal }) =>
      ask("/v1/records/{collection}/{key}/history", "get", {
        at: { collection, key },
        query: { limit: PAGE_SIZE, below: pageParam },
        signal,
      }),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
  });
