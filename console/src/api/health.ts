import { queryOptions } from "@tanstack/react-query";
import { ask } from "./http";

/** What the service says of itself to anybody: its title and version. */
export const health = queryOptions({ queryKey: ["health"], queryFn: () => ask("/healthz", "get"), staleTime: Infinity });
