import type { WithJson } from "../lib/json";
import type { components } from "./openapi";

/** One thing wrong with one place; the parameters of the rule stand beside pointer, code and detail. */
export type FieldError = WithJson<components["schemas"]["FieldError"]>;

/** A field that others changed since the version that was seen, and that is changed here too. */
export type FieldConflict = WithJson<components["schemas"]["FieldConflict"]>;

/** What the service refused (RFC 9457), or `status` 0 when no answer came. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly errors: FieldError[] = [],
    readonly conflicts: FieldConflict[] = [],
    /** The version the record is at now, where the service told. */
    readonly version: number | null = null,
  ) {
    super(detail);
    this.name = "ApiError";
  }

  get isSignedOut(): boolean {
    return this.status === 401;
  }

  /** Whether the request itself is what is wrong. */
  get isRefused(): boolean {
    return this.status === 400 || this.status === 403 || this.status === 413;
  }

  get isConflict(): boolean {
    return this.status === 409 && this.conflicts.length > 0;
  }
}

declare module "@tanstack/react-query" {
  interface Register {
    defaultError: ApiError;
  }
}
