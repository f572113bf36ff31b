import { infiniteQueryOptions } from "@tanstack/react-query";
import { ask, type Answer } from "./http";

export type Notice = Answer<"/v1/notices">["items"][number];

/** The notices that effects left for other systems, newest first. */
export const notices = infiniteQueryOptions({
  queryKey: ["notices"],
  queryFn: ({ pageParam, signal }) => ask("/v1/notices", "get", { query: { limit: 50, below: pageParam }, signal }),
  initialPageParam: null as number | null,
  getNextPageParam: (last) => last.next,
});
