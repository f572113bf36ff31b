import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { ask } from "./http";

type Doing = "reading" | "editing" | "gone";
export interface Other {
  account: string;
  title: string;
  editing: boolean;
}

/** How often one says that one is there, in milliseconds: well before the service forgets it. */
const EACH = 5_000;
/** What this page of the browser is called there. */
const here = Math.random().toString(36).slice(2) || "page";

const meet = (collection: string, key: string, doing: Doing, signal?: AbortSignal) =>
  ask("/v1/records/{collection}/{key}/presence", "post", {
    at: { collection, key },
    body: { window: here, doing },
    ...(signal && { signal }),
  });

/** Who else has a record open, told again and again; says that one is there oneself. */
export const presenceAt = (collection: string, key: string, editing: boolean) =>
  queryOptions({
    queryKey: ["presence", collection, key, editing],
    queryFn: async ({ signal }): Promise<Other[]> => (await meet(collection, key, editing ? "editing" : "reading", signal)).items,
    refetchInterval: EACH,
    placeholderData: keepPreviousData,
    // Nothing of it is of use a moment later.
    gcTime: 0,
    retry: false,
  });

/** Says that one is there no more; where that does not arrive, it is forgotten in a while. */
export const leave = (collection: string, key: string): void => {
  meet(collection, key, "gone").catch(() => undefined);
};
