import { queryOptions, type QueryClient } from "@tanstack/react-query";
import { ApiError } from "./errors";
import { ask, csrf, token, type Answer } from "./http";

const KEY = ["session"] as const;

export type Session = Answer<"/v1/session">;

function begun(found: Session): Session {
  csrf.set(found.csrf);
  return found;
}

async function current(signal: AbortSignal): Promise<Session | null> {
  try {
    return begun(await ask("/v1/session", "get", { signal }));
  } catch (error) {
    if (error instanceof ApiError && error.isSignedOut) return null;
    throw error;
  }
}

/** Who is signed in, by a session or a token; null for nobody. */
export const session = queryOptions({
  queryKey: KEY,
  queryFn: ({ signal }) => current(signal),
  staleTime: Infinity,
});

/** Begins a session, whose cookie the page itself never sees. */
export async function signIn(client: QueryClient, name: string, password: string): Promise<void> {
  token.forget();
  const found = await ask("/v1/session", "post", { body: { name, password } });
  client.setQueryData(session.queryKey, begun(found));
}

/** Signs in with a token, which is forgotten where the service does not know it. */
export async function signInWithToken(client: QueryClient, given: string): Promise<void> {
  token.set(given);
  try {
    client.setQueryData(session.queryKey, begun(await ask("/v1/session", "get")));
  } catch (error) {
    token.forget();
    throw error;
  }
}

/** Ends the session, or forgets the token, so that the page asks to sign in. */
export async function signOut(client: QueryClient): Promise<void> {
  if (token.get() === null) await ask("/v1/session", "delete").catch(() => null);
  forget(client);
}

/** Nothing that one account has read is kept for the next. */
export function forget(client: QueryClient): void {
  token.forget();
  csrf.set(null);
  client.setQueryData(session.queryKey, null);
  client.removeQueries({ predicate: (query) => query.queryKey[0] !== KEY[0] });
}
