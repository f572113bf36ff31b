import { queryOptions } from "@tanstack/react-query";
import { ask, type Answer } from "./http";
import { inCollection } from "./records";
import type { components } from "./openapi";

type Schemas = components["schemas"];

/** What is told of one right: whether it is there, by which rule, and which parts of it decided. */
export type Judgement = Schemas["Judgement"];
export type ByRole = Schemas["RoleRights"];
export type Cell = ByRole["rights"][string];
export type Rules = Answer<"/v1/schemas/{collection}/access">;

/** What may be done with a record, and why; for a named account, where somebody manages accounts. */
export const accessOf = (collection: string, key: string, account: string) =>
  queryOptions({
    queryKey: [...inCollection(collection), "access", key, account],
    queryFn: ({ signal }) =>
      ask("/v1/records/{collection}/{key}/access", "get", { at: { collection, key }, query: { account }, signal }),
  });

export const rulesOf = (collection: string) =>
  queryOptions({
    queryKey: ["rules", collection],
    queryFn: ({ signal }) => ask("/v1/schemas/{collection}/access", "get", { at: { collection }, signal }),
  });

export type Consequence = Schemas["Consequences"]["items"][number];

export const consequencesOf = (collection: string) =>
  queryOptions({
    queryKey: ["consequences", collection],
    queryFn: ({ signal }) => ask("/v1/schemas/{collection}/consequences", "get", { at: { collection }, signal }),
  });
