import { QueryCache, QueryClient } from "@tanstack/react-query";
import { ApiError } from "../api/errors";
import { forget, keepSession } from "../api/session";

/** Asks again by itself only where no answer came; a refusal stays one. */
export function createQueryClient(): QueryClient {
  const client: QueryClient = new QueryClient({
    queryCache: new QueryCache({
      onError: (error) => {
        // The session has run out and was not renewed: forgotten, so that the page asks to sign in.
        if (error instanceof ApiError && error.isSignedOut) forget(client);
      },
    }),
    defaultOptions: {
      queries: { retry: (count, error) => error instanceof ApiError && error.status === 0 && count < 2 },
    },
  });
  keepSession(client);
  return client;
}
