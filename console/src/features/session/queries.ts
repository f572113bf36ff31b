import { queryOptions } from "@tanstack/react-query";
import { token } from "../../api/http";
import { readSession } from "../../api/records";

export const session = queryOptions({
  queryKey: ["session"],
  queryFn: ({ signal }) => (token.get() === null ? null : readSession(signal)),
  staleTime: Infinity,
});
