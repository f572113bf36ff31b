export interface FieldError { pointer: string; code: string; detail: string }

/** What the service refused (RFC 9457), or `status` 0 when no answer came. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly errors: FieldError[] = [],
  ) {
    super(detail);
    this.name = "ApiError";
  }

  get isSignedOut(): boolean {
    return this.status === 401;
  }

  get isStale(): boolean {
    return this.status === 412;
  }
}

declare module "@tanstack/react-query" {
  interface Register { defaultError: ApiError }
}
