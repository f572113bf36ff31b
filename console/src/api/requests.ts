import { queryOptions, type QueryClient } from "@tanstack/react-query";
import { ask, type Answer } from "./http";

const REQUESTS = "/v1/requests";

/** The own last requests, the newest first, and until when they are noted. */
export type Requests = Answer<typeof REQUESTS>;
/** One of them. */
export type NotedRequest = Requests["items"][number];
/** What was sent for a field, and what became of it. */
export type NotedField = NonNullable<NotedRequest["fields"]>[number];

/** How many are shown: as many as are kept. */
const MOST = 200;
/** How often new ones are looked for, in milliseconds. */
const EACH = 2_000;
const KEY = ["requests"];

export const ownRequests = queryOptions({
  queryKey: KEY,
  queryFn: async ({ client, signal }): Promise<Requests> => {
    const there = () => client.getQueryData<Requests>(KEY)?.items ?? [];
    const found = await ask(REQUESTS, "get", { query: { after: there()[0]?.number ?? 0, limit: MOST }, signal });
    // With what is there by now: they may have been forgotten meanwhile.
    return { ...found, items: joined(there(), found.items) };
  },
  refetchInterval: (query) => (query.state.data?.until == null ? false : EACH),
});

/** What was there, with what came; begun anew, numbers are small again, and what was there is gone. */
export function joined<One extends { number: number }>(before: One[], came: One[]): One[] {
  const last = before[0]?.number ?? 0;
  return came.some((one) => one.number <= last) ? came : [...came, ...before].slice(0, MOST);
}

/** Has the own requests noted for a while. */
export async function inspectRequests(client: QueryClient, minutes: number, console: boolean): Promise<void> {
  const found = await ask(REQUESTS, "put", { body: { minutes, console } });
  client.setQueryData<Requests>(KEY, (before) => ({ ...found, items: before?.items ?? [] }));
}

/** Has none noted any more, and those that were forgotten. */
export async function forgetRequests(client: QueryClient): Promise<void> {
  await ask(REQUESTS, "delete");
  // What is under way was answered before.
  await client.cancelQueries({ queryKey: KEY });
  client.setQueryData<Requests>(KEY, { until: null, console: false, items: [] });
}
