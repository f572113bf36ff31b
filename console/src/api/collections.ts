import { queryOptions } from "@tanstack/react-query";
import { ApiError } from "./errors";
import { ask } from "./http";
import type { CollectionSchema, Form } from "./types";

/** The collections, in the project's order. */
export const collections = queryOptions({
  queryKey: ["collections"],
  queryFn: async () => (await ask("/v1/schemas", "get")).items,
  staleTime: 300_000,
});

/** One of them. */
export const collectionInfo = (name: string) =>
  queryOptions({
    ...collections,
    select: (all) => {
      const found = all.find((one) => one.name === name);
      if (found === undefined) throw new ApiError(404, "not-found", `There is no collection “${name}”.`);
      return found;
    },
  });

export const schemaOf = (collection: string) =>
  queryOptions({
    queryKey: ["schema", collection],
    // A JSON Schema, which the OpenAPI document leaves open.
    queryFn: async () => (await ask("/v1/schemas/{collection}", "get", { at: { collection } })) as unknown as CollectionSchema,
    staleTime: 300_000,
  });

/** Never kept: a form is filled from what holds at the moment it is opened. */
export const createFormOf = (collection: string) =>
  queryOptions({
    queryKey: ["create form", collection],
    queryFn: async ({ signal }) =>
      (await ask("/v1/schemas/{collection}", "get", {
        at: { collection },
        query: { for: "create" },
        signal,
      })) as unknown as Form,
    gcTime: 0,
    staleTime: Infinity,
  });
