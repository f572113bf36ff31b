import { queryOptions } from "@tanstack/react-query";
import { token } from "./http";
import { readSession } from "./records";

/** Who is signed in; null for nobody. */
export const session = queryOptions({
  queryKey: ["session"],
  queryFn: ({ signal }) => (token.get() === null ? null : readSession(signal)),
  staleTime: Infinity,
});
