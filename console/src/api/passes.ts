import { infiniteQueryOptions, type QueryClient } from "@tanstack/react-query";
import { ask, postForFile, type Answer } from "./http";
import type { Wanted } from "./records";

export type Pass = Answer<"/v1/passes/{number}">;
export type Issued = Answer<"/v1/passes", "post">;

const ALL = "/v1/passes";

/** All that is known of passes; invalidated whole when one of them changes. */
export const passes = ["passes"] as const;

export const refreshPasses = (client: QueryClient): Promise<void> => client.invalidateQueries({ queryKey: passes });

/** What was handed out for a collection, or for one record of it, the newest first. */
export const passesOf = (collection: string, key: string | null, template: string | null = null) =>
  infiniteQueryOptions({
    queryKey: [...passes, collection, key, template],
    queryFn: ({ pageParam, signal }) =>
      ask(ALL, "get", { query: { collection, key, template, below: pageParam, limit: 20 }, signal }),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
  });

/** Makes a pass, for a record or for a list; its link is shown this once. */
export async function makePass(client: QueryClient, collection: string, template: string, key: string | null): Promise<Issued> {
  const body = key === null ? { collection, template } : { collection, template, key };
  const made = await ask(ALL, "post", { body });
  await refreshPasses(client);
  return made;
}

/** Gives a pass another link; the last one is good no more. */
export async function renewPass(client: QueryClient, number: number): Promise<Issued> {
  const made = await ask(`${ALL}/{number}/renew`, "post", { at: { number }, body: {} });
  await refreshPasses(client);
  return made;
}

export async function unlockPass(client: QueryClient, number: number): Promise<void> {
  await ask(`${ALL}/{number}/unlock`, "post", { at: { number } });
  await refreshPasses(client);
}

export async function revokePass(client: QueryClient, number: number): Promise<void> {
  await ask(`${ALL}/{number}`, "delete", { at: { number } });
  await refreshPasses(client);
}

/** Makes a pass for each record of a list, and gives a file with their links. */
export async function writeLetters(client: QueryClient, collection: string, template: string, { where }: Wanted): Promise<Blob> {
  const body = { collection, template, ...(where ? { where } : {}) };
  const file = await postForFile(`${ALL}/letters`, body, "text/csv");
  await refreshPasses(client);
  return file;
}
