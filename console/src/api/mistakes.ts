import { queryOptions } from "@tanstack/react-query";
import { ask } from "./http";

/** How often it is looked, in milliseconds, where files are watched. */
const EACH = 2_000;

/** What is wrong with the project's files as they are saved, where the service watches them. */
export const mistakes = queryOptions({
  queryKey: ["mistakes"],
  queryFn: ({ signal }) => ask("/v1/definitions/mistakes", "get", { signal }),
  refetchInterval: (query) => (query.state.data?.watched === true ? EACH : false),
  staleTime: Infinity,
});
