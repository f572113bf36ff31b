import { basePath } from "./base";
import { isObject, parseJson, writeJson, type Json, type WithJson } from "../lib/json";
import { ApiError, type FieldConflict, type FieldError } from "./errors";
import type { paths } from "./openapi";

const KEPT = "fenland.token";
/** Who asks for this is about to sign in. */
const SESSION = "/v1/session";

/** The token lives as long as the browser tab, and nowhere else. */
export const token = {
  get: (): string | null => sessionStorage.getItem(KEPT),
  set: (value: string): void => sessionStorage.setItem(KEPT, value),
  forget: (): void => sessionStorage.removeItem(KEPT),
};

let proof: string | null = null;
/** How often whoever was here has gone: what somebody asked for is never sent as somebody else. */
let gone = 0;

/** What changes in a browser's session must bring along: only who can read the service's answers knows it. */
export const csrf = {
  set: (value: string | null): void => {
    if (value === null) gone += 1;
    proof = value;
  },
};

let renew: (() => Promise<boolean>) | null = null;

/** What is done where the service does not know any more who asks; gives whether the same person is known again. */
export const whenSignedOut = {
  set: (work: typeof renew): void => {
    renew = work;
  },
};

type Method = "get" | "post" | "put" | "patch" | "delete";
type Content<Response> = Response extends { content: { "application/json": infer Body } } ? Body : never;
type Answered<Operation> = Operation extends { responses: infer Responses }
  ? Content<Responses extends { 200: infer Found } ? Found : Responses extends { 201: infer Made } ? Made : never>
  : never;
type Part<Operation, Name extends "path" | "query"> = Operation extends { parameters: { [Key in Name]?: infer Given } }
  ? NonNullable<Given>
  : never;

/** What the service answers to this operation, by its OpenAPI document. */
export type Answer<Path extends keyof paths, With extends Method = "get"> = WithJson<Answered<paths[Path][With]>>;

type Loose<Query> = { [Name in keyof Query]?: Query[Name] | null };

export interface Options<Path extends keyof paths, With extends Method> {
  /** What stands in the open places of the path. */
  at?: Part<paths[Path][With], "path">;
  query?: Loose<Part<paths[Path][With], "query">>;
  body?: Json;
  /** In place of `body`: a file, and its media type. */
  file?: { content: Blob; type: string };
  etag?: string | null;
  signal?: AbortSignal;
  /** Called with the headers of an answer that is no refusal. */
  onHeaders?: (headers: Headers) => void;
}

function address(path: string, at: Record<string, string | number>, query: Record<string, unknown>): string {
  const given = Object.entries(query).filter(([, value]) => value !== null && value !== undefined && value !== "");
  const search = new URLSearchParams(given.map(([name, value]) => [name, String(value)])).toString();
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(at[name] ?? ""));
  return `${basePath}${filled}${search ? `?${search}` : ""}`;
}

/** Sends a request that something else than this has made, as whoever is signed in. */
export function fetchSigned(input: string | URL | Request, init: RequestInit, changing: boolean): Promise<Response> {
  const headers = new Headers(init.headers);
  for (const [name, value] of Object.entries(signedHeaders(changing))) if (!headers.has(name)) headers.set(name, value);
  return fetch(input, { ...init, headers });
}

/** By what the service knows who asks. */
function signedHeaders(changing: boolean): Record<string, string> {
  const held = token.get();
  if (held !== null) return { Authorization: `Bearer ${held}` };
  return proof !== null && changing ? { "Fenland-CSRF": proof } : {};
}

function headersFor(method: Method, body: Json | undefined, etag: string | null | undefined): Headers {
  const headers = new Headers({ Accept: "application/json", "Fenland-Via": "console" });
  for (const [name, value] of Object.entries(signedHeaders(method !== "get"))) headers.set(name, value);
  if (body !== undefined) {
    headers.set("Content-Type", method === "patch" ? "application/merge-patch+json" : "application/json");
  }
  if (etag) headers.set("If-Match", etag);
  return headers;
}

/** Sends a request, once more where whoever asks had to sign in again; its headers are made anew then. */
async function fetched(address: string, headers: () => Headers, init: RequestInit = {}): Promise<Response> {
  const [before, left] = [proof, gone];
  // A refusal can be under way while the session is renewed already, for the sake of another request.
  const renewed = () => proof !== null && proof !== before && gone === left;
  const response = await sent(address, { ...init, headers: headers() });
  if (response.status !== 401 || address.endsWith(SESSION) || renew === null) return response;
  return renewed() || (await renew()) || renewed() ? await sent(address, { ...init, headers: headers() }) : response;
}

async function sent(address: string, init: RequestInit): Promise<Response> {
  try {
    return await fetch(address, { ...init, cache: "no-store" });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, "unreachable", "The service cannot be reached. Your changes are still here; try again.");
  }
}

function problemFrom(status: number, body: unknown): ApiError {
  const problem = isObject(body) ? body : {};
  const type = typeof problem["type"] === "string" ? problem["type"] : "";
  const detail = typeof problem["detail"] === "string" ? problem["detail"] : `The service answered ${status}.`;
  const errors = Array.isArray(problem["errors"]) ? (problem["errors"] as FieldError[]) : [];
  const conflicts = Array.isArray(problem["conflicts"]) ? (problem["conflicts"] as FieldConflict[]) : [];
  const version = typeof problem["version"] === "number" ? problem["version"] : null;
  return new ApiError(status, type.split("/").pop() ?? "", detail, errors, conflicts, version);
}

/**
 * Asks the service and gives its JSON, typed by the OpenAPI document: the one place where an answer is taken
 * for what it should be. Throws `ApiError` for a refusal, or when no answer came.
 */
export async function ask<Path extends keyof paths, With extends Method = "get">(
  path: Path,
  method: With,
  options: Options<Path, With> = {},
): Promise<Answer<Path, With>> {
  const { body, file, etag, signal } = options;
  const headers = () => {
    const found = headersFor(method, body, etag);
    if (file) found.set("Content-Type", file.type);
    return found;
  };
  const response = await fetched(address(path, options.at ?? {}, options.query ?? {}), headers, {
    method: method.toUpperCase(),
    body: file?.content ?? (body === undefined ? null : writeJson(body)),
    signal: signal ?? null,
  });
  const answer = await jsonOf(response);
  if (!response.ok) throw problemFrom(response.status, answer);
  options.onHeaders?.(response.headers);
  return answer as Answer<Path, With>;
}

async function jsonOf(response: Response): Promise<unknown> {
  const text = await response.text();
  try {
    return text ? parseJson(text) : null;
  } catch {
    return null;
  }
}

/** Asks for a stream of events, from the last one that came; nothing of it is read yet. Throws where no answer came. */
export function askForStream(path: keyof paths, last: string | null, signal: AbortSignal): Promise<Response> {
  const headers = () => {
    const found = headersFor("get", undefined, null);
    found.set("Accept", "text/event-stream");
    if (last !== null) found.set("Last-Event-ID", last);
    return found;
  };
  return fetched(`${basePath}${path}`, headers, { signal });
}

/** Asks for an answer as a file of this media type. Throws `ApiError` as `ask` does, also where it is cut short. */
export async function askForFile<Path extends keyof paths>(
  path: Path,
  options: Options<Path, "get">,
  type: string,
): Promise<Blob> {
  const headers = () => {
    const found = headersFor("get", undefined, null);
    found.set("Accept", type);
    return found;
  };
  return fileOf(await fetched(address(path, options.at ?? {}, options.query ?? {}), headers));
}

/** Has something done whose answer is a file of this media type. Throws as `askForFile` does. */
export async function postForFile(path: keyof paths, body: Json, type: string): Promise<Blob> {
  const headers = () => {
    const found = headersFor("post", body, null);
    found.set("Accept", type);
    return found;
  };
  return fileOf(await fetched(address(path, {}, {}), headers, { method: "POST", body: writeJson(body) }));
}

async function fileOf(response: Response): Promise<Blob> {
  if (!response.ok) throw problemFrom(response.status, await jsonOf(response));
  try {
    return await response.blob();
  } catch {
    throw new ApiError(0, "cut-short", "The file came only in part. Try again.");
  }
}
