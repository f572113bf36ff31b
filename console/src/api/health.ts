import { queryOptions } from "@tanstack/react-query";
import { readHealth } from "./records";

/** What the service says of itself to anybody: its title and version. */
export const health = queryOptions({ queryKey: ["health"], queryFn: readHealth, staleTime: Infinity });
