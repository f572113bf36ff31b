import { queryOptions, type QueryClient } from "@tanstack/react-query";
import { ask, token } from "./http";

const KEY = ["session"] as const;

/** Who is signed in; null for nobody. */
export const session = queryOptions({
  queryKey: KEY,
  queryFn: ({ signal }) => (token.get() === null ? null : ask("/v1/session", "get", { signal })),
  staleTime: Infinity,
});

/** Whether somebody is, or was a moment ago. */
export const holdsToken = (): boolean => token.get() !== null;

/** Signs in with a token, which is forgotten where the service does not know it. */
export async function signIn(client: QueryClient, given: string): Promise<void> {
  token.set(given);
  try {
    client.setQueryData(session.queryKey, await ask("/v1/session", "get"));
  } catch (error) {
    token.forget();
    throw error;
  }
}

/** Forgets the token, so that the page asks to sign in. */
export function signOut(client: QueryClient): void {
  token.forget();
  client.setQueryData(session.queryKey, null);
  // Nothing that one account has read is kept for the next.
  client.removeQueries({ predicate: (query) => query.queryKey[0] !== KEY[0] });
}
