import { QueryCache, QueryClient } from "@tanstack/react-query";
import { ApiError } from "../api/errors";
import { holdsToken, signOut } from "../api/session";

/** Asks again by itself only where no answer came; a refusal stays one. */
export function createQueryClient(): QueryClient {
  const client: QueryClient = new QueryClient({
    queryCache: new QueryCache({
      onError: (error) => {
        // The token has run out: forget it, so that the page asks to sign in.
        if (error instanceof ApiError && error.isSignedOut && holdsToken()) signOut(client);
      },
    }),
    defaultOptions: {
      queries: { retry: (count, error) => error instanceof ApiError && error.status === 0 && count < 2 },
    },
  });
  return client;
}
