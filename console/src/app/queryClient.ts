import { QueryCache, QueryClient } from "@tanstack/react-query";
import { ApiError } from "../api/errors";
import { token } from "../api/http";
import { session } from "../api/session";

/** Asks again by itself only where no answer came; a refusal stays one. */
export function createQueryClient(): QueryClient {
  const client: QueryClient = new QueryClient({
    queryCache: new QueryCache({
      onError: (error) => {
        // The token has run out: forget it, so that the page asks to sign in.
        if (error instanceof ApiError && error.isSignedOut && token.get() !== null) {
          token.forget();
          client.setQueryData(session.queryKey, null);
        }
      },
    }),
    defaultOptions: {
      queries: { retry: (count, error) => error instanceof ApiError && error.status === 0 && count < 2 },
    },
  });
  return client;
}
