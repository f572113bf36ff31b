import { queryOptions } from "@tanstack/react-query";
import { ask, type Answer } from "./http";

const CALLS = "/v1/schemas/{collection}/calls";

/** A call that other tools can copy; what stands in braces is theirs to fill in. */
export type CallToCopy = Answer<typeof CALLS>["items"][number];

export const callsOf = (collection: string) =>
  queryOptions({
    queryKey: ["calls", collection],
    queryFn: ({ signal }) => ask(CALLS, "get", { at: { collection }, signal }),
  });
