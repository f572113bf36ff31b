import { infiniteQueryOptions, queryOptions, type QueryClient } from "@tanstack/react-query";
import type { Fields } from "./types";
import { ask, type Answer } from "./http";

export type Proposal = Answer<"/v1/proposals/{number}">;
export type Listed = Answer<"/v1/proposals">["items"][number];
export type Proposed = Proposal["fields"][string];
export type State = Listed["state"];

const ALL = "/v1/proposals";

/** All that is known of proposals; invalidated whole when one comes in or is settled. */
export const proposals = ["proposals"] as const;

export const refreshProposals = (client: QueryClient): Promise<void> => client.invalidateQueries({ queryKey: proposals });

/** By collection, how many wait that one may review. */
export const waitingCounts = queryOptions({
  queryKey: [...proposals, "counts"],
  queryFn: ({ signal }) => ask(`${ALL}/counts`, "get", { signal }),
});

/** What came in, in a state or in any: what waits the oldest first, else the newest. */
export const proposalsIn = (state: State | null) =>
  infiniteQueryOptions({
    queryKey: [...proposals, "list", state],
    queryFn: ({ pageParam, signal }) =>
      ask(ALL, "get", { query: { state, newest: state !== "waiting", after: pageParam, limit: 30 }, signal }),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
  });

/** What came in by passes for a record, the newest first. */
export const proposalsOf = (collection: string, key: string) =>
  queryOptions({
    queryKey: [...proposals, "of", collection, key],
    queryFn: async ({ signal }) => (await ask(ALL, "get", { query: { collection, key, newest: true, limit: 10 }, signal })).items,
  });

/** One of them, with what would be wrong if it were applied now. */
export const proposalOf = (number: number) =>
  queryOptions({
    queryKey: [...proposals, "one", number],
    queryFn: ({ signal }) => ask(`${ALL}/{number}`, "get", { at: { number }, signal }),
  });

/** Applies these fields of a proposal, over what one sees of the record. */
export async function applyProposal(
  client: QueryClient,
  number: number,
  fields: string[] | null,
  base: number | null,
  values: Fields = {},
): Promise<void> {
  const body = {
    ...(fields === null ? {} : { fields }),
    ...(base === null ? {} : { base }),
    ...(Object.keys(values).length === 0 ? {} : { values }),
  };
  try {
    await ask(`${ALL}/{number}/apply`, "post", { at: { number }, body });
  } finally {
    await refreshProposals(client);
  }
}

/** Refuses these fields of a proposal, for a reason. */
export async function refuseProposal(
  client: QueryClient,
  number: number,
  fields: string[] | null,
  reason: string,
): Promise<void> {
  try {
    await ask(`${ALL}/{number}/refuse`, "post", { at: { number }, body: { ...(fields === null ? {} : { fields }), reason } });
  } finally {
    await refreshProposals(client);
  }
}
