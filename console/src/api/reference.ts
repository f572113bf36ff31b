import { queryOptions } from "@tanstack/react-query";
import { basePath } from "./base";
import { ask, fetchSigned } from "./http";

/** The OpenAPI document of one collection, or of all; as it was sent. */
export const documentOf = (collection: string) =>
  queryOptions({
    queryKey: ["reference", collection],
    queryFn: () => ask("/v1/openapi.json", "get", { query: { collection: collection || null } }),
    staleTime: 300_000,
  });

/** The address of the document, for a tool that takes one. */
export function documentAddress(collection: string, older: boolean, flat: boolean): string {
  const query = new URLSearchParams({
    ...(collection ? { collection } : {}),
    ...(older ? { openapi: "3.0" } : {}),
    ...(flat && collection ? { flat: "true" } : {}),
  });
  return `${location.origin}${basePath}/v1/openapi.json${query.size > 0 ? `?${query}` : ""}`;
}

interface Sent {
  url: string;
  method?: string;
  userFetch?: typeof fetch;
}

/**
 * Has a request of the viewer sent as the console sends its own: by whoever is signed in, to this service and none
 * other. By what they are known is not told to the viewer, which shows what it sends.
 */
export function asSignedIn<Request extends Sent>(request: Request): Request {
  if (new URL(request.url, location.href).origin !== location.origin) return request;
  const changing = (request.method ?? "GET").toUpperCase() !== "GET";
  request.userFetch = (input, init = {}) => fetchSigned(input, init, changing);
  return request;
}
