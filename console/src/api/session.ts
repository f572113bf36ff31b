import { queryOptions, type QueryClient } from "@tanstack/react-query";
import { ApiError } from "./errors";
import { ask, csrf, token, whenSignedOut, type Answer } from "./http";

const KEY = ["session"] as const;

/** Whose session it is; `ended` once the service knows nothing of it any more, until it is renewed. */
export type Session = Answer<"/v1/session"> & { ended?: boolean };

/** Who waits until the session is renewed. */
const waiting: ((renewed: boolean) => void)[] = [];

function answerWaiting(renewed: boolean): void {
  for (const answer of waiting.splice(0)) answer(renewed);
}

/**
 * Has requests wait, where the session has ended meanwhile, until the same person has signed in again: what was
 * being done goes on then.
 */
export function keepSession(client: QueryClient): void {
  whenSignedOut.set(async () => {
    const held = client.getQueryData(session.queryKey);
    // A password that was typed wrong is refused like that, too, while the session goes on.
    if (!held || (await current())) return false;
    const over: Session = { ...held, ended: true };
    client.setQueryData<Session | null>(session.queryKey, over);
    return new Promise((resolve) => waiting.push(resolve));
  });
}

function begun(found: Session): Session {
  csrf.set(found.csrf);
  return found;
}

/** Takes the page over for whoever has signed in; what somebody else has read is not kept for them. */
function entered(client: QueryClient, found: Session): void {
  const same = client.getQueryData(session.queryKey)?.account === found.account;
  if (!same) forget(client, { token: false });
  client.setQueryData(session.queryKey, begun(found));
  if (same) answerWaiting(true);
}

async function current(signal?: AbortSignal): Promise<Session | null> {
  try {
    return begun(await ask("/v1/session", "get", signal ? { signal } : {}));
  } catch (error) {
    if (error instanceof ApiError && error.isSignedOut) return null;
    throw error;
  }
}

/** Who is signed in, by a session or a token; null for nobody. */
export const session = queryOptions<Session | null>({
  queryKey: KEY,
  queryFn: ({ signal }) => current(signal),
  staleTime: Infinity,
});

/** Begins a session, whose cookie the page itself never sees. */
export async function signIn(client: QueryClient, name: string, password: string): Promise<void> {
  token.forget();
  entered(client, await ask("/v1/session", "post", { body: { name, password } }));
}

/** Signs in with a token, which is forgotten where the service does not know it. */
export async function signInWithToken(client: QueryClient, given: string): Promise<void> {
  token.set(given);
  try {
    entered(client, await ask("/v1/session", "get"));
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
export function forget(client: QueryClient, what = { token: true }): void {
  if (what.token) token.forget();
  csrf.set(null);
  client.setQueryData(session.queryKey, null);
  client.removeQueries({ predicate: (query) => query.queryKey[0] !== KEY[0] });
  answerWaiting(false);
}
