import { infiniteQueryOptions, queryOptions, type QueryClient } from "@tanstack/react-query";
import type { Members } from "./accounts";
import { ask, type Answer } from "./http";

export type Subscription = Answer<"/v1/subscriptions/{subscription}">;
export type Delivery = Answer<"/v1/subscriptions/{subscription}/deliveries">["items"][number];
export type State = Delivery["state"];

/** How often what becomes of notices is looked at, in milliseconds. */
const EACH = 2_000;

/** Which other systems are sent what, as far as one may manage them. */
export const subscriptions = queryOptions({
  queryKey: ["subscriptions"],
  queryFn: async ({ signal }) => (await ask("/v1/subscriptions", "get", { signal })).items,
  refetchInterval: EACH,
});

/** One of them. */
export const subscriptionOf = (subscription: string) =>
  queryOptions({
    queryKey: ["subscriptions", subscription],
    queryFn: ({ signal }) => ask("/v1/subscriptions/{subscription}", "get", { at: { subscription }, signal }),
    refetchInterval: EACH,
  });

/** What was sent and is to be sent, the newest first; all of it, or what is in a state. */
export const deliveriesOf = (subscription: string, state: State | null) =>
  infiniteQueryOptions({
    queryKey: ["subscriptions", subscription, "deliveries", state],
    queryFn: ({ pageParam, signal }) =>
      ask("/v1/subscriptions/{subscription}/deliveries", "get", {
        at: { subscription },
        query: { limit: 30, below: pageParam, state },
        signal,
      }),
    initialPageParam: null as number | null,
    getNextPageParam: (last) => last.next,
    refetchInterval: EACH,
  });

/** A delivery with each attempt at it. */
export const deliveryOf = (subscription: string, number: number) =>
  queryOptions({
    queryKey: ["subscriptions", subscription, "delivery", number],
    queryFn: ({ signal }) =>
      ask("/v1/subscriptions/{subscription}/deliveries/{number}", "get", { at: { subscription, number }, signal }),
    refetchInterval: EACH,
  });

const again = (client: QueryClient) => client.invalidateQueries({ queryKey: subscriptions.queryKey });

/** Adds one; gives the secret that signs what is sent, which is shown this once. */
export async function addSubscription(client: QueryClient, members: Members): Promise<string> {
  const made = await ask("/v1/subscriptions", "post", { body: members });
  await again(client);
  return made.secret;
}

export async function changeSubscription(client: QueryClient, subscription: string, members: Members): Promise<void> {
  await ask("/v1/subscriptions/{subscription}", "patch", { at: { subscription }, body: members });
  await again(client);
}

export async function removeSubscription(client: QueryClient, subscription: string): Promise<void> {
  await ask("/v1/subscriptions/{subscription}", "delete", { at: { subscription } });
  client.removeQueries({ queryKey: [...subscriptions.queryKey, subscription] });
  await client.invalidateQueries({ queryKey: subscriptions.queryKey, exact: true });
}

/** Signs with another secret, which is shown this once; for a day the last one signs as well. */
export async function rotateSecret(client: QueryClient, subscription: string): Promise<string> {
  const made = await ask("/v1/subscriptions/{subscription}/secret", "post", { at: { subscription }, body: {} });
  await again(client);
  return made.secret;
}

export async function sendTest(client: QueryClient, subscription: string): Promise<void> {
  await ask("/v1/subscriptions/{subscription}/test", "post", { at: { subscription } });
  await again(client);
}

export async function sendAgain(client: QueryClient, subscription: string, number: number): Promise<void> {
  await ask("/v1/subscriptions/{subscription}/deliveries/{number}/resend", "post", { at: { subscription, number } });
  await again(client);
}

/** Sends all again that came since a moment. */
export async function sendSince(client: QueryClient, subscription: string, since: string): Promise<void> {
  await ask("/v1/subscriptions/{subscription}/resend", "post", { at: { subscription }, body: { since } });
  await again(client);
}
