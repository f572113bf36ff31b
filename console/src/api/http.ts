import { basePath } from "./base";
import { isObject, parseJson, writeJson, type Json } from "../lib/json";
import { ApiError, type FieldConflict, type FieldError } from "./errors";

const KEPT = "fenland.token";

/** The token lives as long as the browser tab, and nowhere else. */
export const token = {
  get: (): string | null => sessionStorage.getItem(KEPT),
  set: (value: string): void => sessionStorage.setItem(KEPT, value),
  forget: (): void => sessionStorage.removeItem(KEPT),
};

export interface Options {
  method?: "GET" | "POST" | "PATCH" | "DELETE";
  query?: Record<string, string | number | null | undefined>;
  body?: Json;
  etag?: string | null;
  signal?: AbortSignal;
}

function address(path: string, query: Options["query"]): string {
  const given = Object.entries(query ?? {}).filter(([, value]) => value !== null && value !== undefined && value !== "");
  const search = new URLSearchParams(given.map(([name, value]) => [name, String(value)])).toString();
  return `${basePath}${path}${search ? `?${search}` : ""}`;
}

function headersFor(options: Options): Headers {
  const headers = new Headers({ Accept: "application/json", "Fenland-Via": "console" });
  const held = token.get();
  if (held !== null) headers.set("Authorization", `Bearer ${held}`);
  if (options.body !== undefined) {
    headers.set("Content-Type", options.method === "PATCH" ? "application/merge-patch+json" : "application/json");
  }
  if (options.etag) headers.set("If-Match", options.etag);
  return headers;
}

function problemFrom(status: number, body: unknown): ApiError {
  const problem = isObject(body) ? body : {};
  const type = typeof problem["type"] === "string" ? problem["type"] : "";
  const detail = typeof problem["detail"] === "string" ? problem["detail"] : `The service answered ${status}.`;
  const errors = Array.isArray(problem["errors"]) ? (problem["errors"] as unknown as FieldError[]) : [];
  const conflicts = Array.isArray(problem["conflicts"]) ? (problem["conflicts"] as unknown as FieldConflict[]) : [];
  const version = typeof problem["version"] === "number" ? problem["version"] : null;
  return new ApiError(status, type.split("/").pop() ?? "", detail, errors, conflicts, version);
}

/** Asks the service and gives its JSON. Throws `ApiError` for a refusal, or when no answer came. */
export async function ask(path: string, options: Options = {}): Promise<unknown> {
  let response: Response;
  try {
    response = await fetch(address(path, options.query), {
      method: options.method ?? "GET",
      headers: headersFor(options),
      body: options.body === undefined ? null : writeJson(options.body),
      signal: options.signal ?? null,
      cache: "no-store",
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, "unreachable", "The service cannot be reached. Your changes are still here; try again.");
  }
  const text = await response.text();
  let body: unknown = null;
  try {
    body = text ? parseJson(text) : null;
  } catch {
    body = null;
  }
  if (!response.ok) throw problemFrom(response.status, body);
  return body;
}
