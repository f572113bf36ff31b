import { queryOptions, type QueryClient } from "@tanstack/react-query";
import type { Json } from "../lib/json";
import { ask, type Answer } from "./http";

export type Account = Answer<"/v1/accounts">["items"][number];
export type Token = Answer<"/v1/tokens">["items"][number];

export const accounts = queryOptions({
  queryKey: ["accounts"],
  queryFn: ({ signal }) => ask("/v1/accounts", "get", { signal }),
});

export type Members = { [name: string]: Json };

export async function addAccount(client: QueryClient, members: Members): Promise<void> {
  await ask("/v1/accounts", "post", { body: members });
  await client.invalidateQueries({ queryKey: accounts.queryKey });
}

export async function changeAccount(client: QueryClient, name: string, members: Members): Promise<void> {
  await ask("/v1/accounts/{name}", "patch", { at: { name }, body: members });
  await client.invalidateQueries({ queryKey: accounts.queryKey });
}

/** The own tokens and sessions. */
export const tokens = queryOptions({
  queryKey: ["tokens"],
  queryFn: async ({ signal }) => (await ask("/v1/tokens", "get", { signal })).items,
});

/** Makes a token, which is shown this once. */
export async function issueToken(client: QueryClient, members: Members): Promise<string> {
  const made = await ask("/v1/tokens", "post", { body: members });
  await client.invalidateQueries({ queryKey: tokens.queryKey });
  return made.token;
}

export async function revokeToken(client: QueryClient, id: string): Promise<void> {
  await ask("/v1/tokens/{id}", "delete", { at: { id } });
  await client.invalidateQueries({ queryKey: tokens.queryKey });
}

/** Ends every session of the account, this one too. */
export const changePassword = (current: string, wanted: string): Promise<unknown> =>
  ask("/v1/session/password", "post", { body: { current, new: wanted } });
