"""Every refusal as RFC 9457 problem details: the one place that knows statuses."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import structlog
from flask import Flask, Response, request
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from fenland.core.problems import Invalid, Refusal
from fenland.core.values import write_json
from fenland.web.console import page, wants_page
from fenland.web.logs import about

PROBLEM = "application/problem+json"

log = structlog.get_logger()


class Kind(NamedTuple):
    """A kind of problem: its status, its title, and what a client can do about it."""

    status: int
    title: str
    remedy: str


KINDS: Mapping[str, Kind] = {
    "not-signed-in": Kind(401, "Not signed in", "Send a valid token as Authorization: Bearer TOKEN."),
    "not-found": Kind(404, "Not found", "Check the address; what you may not see is also not found."),
    "not-permitted": Kind(403, "Not permitted", "Ask the record's owner, or somebody whose role allows it."),
    "version-mismatch": Kind(412, "The record has changed", "Read the record again and decide anew."),
    "version-required": Kind(428, "Say which version you saw", "Send If-Match with the ETag you were given."),
    "unsupported-media": Kind(415, "Body of another type", "Send one of the types named in Accept-Patch."),
    "too-large": Kind(413, "Too large", "Send less; limit names the setting that was passed."),
    "malformed": Kind(400, "The request cannot be read", "Correct the request as the detail says."),
    "conflict": Kind(
        409, "In conflict with other records", "Resolve what the detail names, then send again."
    ),
    "body-timeout": Kind(408, "The body came too slowly", "Send it again, over a better connection."),
    "invalid": Kind(422, "Not valid", "Correct each field named under errors."),
    "key-reused": Kind(422, "Idempotency-Key used before", "Use a new key for each change."),
    "unavailable": Kind(503, "Not possible at the moment", "Wait as Retry-After says, then send again."),
    "storage-full": Kind(507, "No room left", "Make room on the disk, then send again."),
    "method-not-allowed": Kind(405, "Method not allowed", "Use one of the methods named in Allow."),
    "internal": Kind(
        500,
        "An error of the service",
        "Report it with the request id, and read the record to see whether it was saved.",
    ),
}

#: For what Flask itself refuses; the first kind of a status is its plain one.
_BY_STATUS = {kind.status: code for code, kind in reversed(list(KINDS.items()))}
_RETRY_SECONDS = "1"


def type_of(code: str, prefix: str) -> str:
    """The `type` of a kind of problem: a link to the service's own page about it."""
    return f"{prefix}/problems/{code}"


def bare_problem(code: str, detail: str, prefix: str) -> tuple[int, list[tuple[str, str]], bytes]:
    """Status, headers and body of a problem, for where there is no request that Flask knows of."""
    kind = KINDS[code]
    body = {"type": type_of(code, prefix), "title": kind.title, "status": kind.status, "detail": detail}
    headers = [
        ("Content-Type", PROBLEM),
        ("Cache-Control", "no-store"),
        ("X-Content-Type-Options", "nosniff"),
    ]
    if kind.status in (503, 507):
        headers.append(("Retry-After", _RETRY_SECONDS))
    return kind.status, headers, write_json(body)


def problem(code: str, detail: str, extra: Mapping[str, Any] | None = None) -> Response:
    """The answer for one kind of problem."""
    kind, environ = KINDS[code], request.environ
    body = {
        "type": type_of(code, environ.get("SCRIPT_NAME", "")),
        "title": kind.title,
        "status": kind.status,
        "detail": detail,
        "request_id": environ.get("fenland.request_id", ""),
        **(extra or {}),
    }
    answer = Response(write_json(body), status=kind.status, content_type=PROBLEM)
    answer.headers["Cache-Control"] = "no-store"
    if kind.status == 401:
        answer.headers["WWW-Authenticate"] = 'Bearer realm="fenland"'
    if kind.status in (503, 507):
        answer.headers["Retry-After"] = _RETRY_SECONDS
    return answer


def refused(refusal: Refusal) -> Response:
    """The answer for a refusal of the core or of a use case."""
    extra: dict[str, Any] = dict(refusal.extra)
    headers = extra.pop("headers", {})
    if isinstance(refusal, Invalid):
        extra["errors"] = [one.as_json() for one in refusal.problems]
    answer = problem(refusal.code, refusal.detail, extra)
    answer.headers.update(headers)
    return answer


def _http(error: HTTPException) -> Response:
    """The answer for what Flask itself refuses: unknown routes, methods, bodies too large."""
    if isinstance(error, RequestEntityTooLarge):
        return problem("too-large", "The body is larger than the service reads.")
    if error.code == 404 and wants_page(request):
        return page()
    code = _BY_STATUS.get(error.code or 500)
    if code is None:
        code = "malformed" if (error.code or 500) < 500 else "internal"
    detail = {
        "not-found": f"There is nothing at {request.path}. The addresses are listed in /v1/openapi.json.",
        "method-not-allowed": f"{request.method} is not possible at {request.path}.",
    }.get(code, error.description or KINDS[code].remedy)
    answer = problem(code, detail)
    for name, value in error.get_headers():
        if name.lower() == "allow":
            answer.headers[name] = value
    return answer


def _unexpected(error: Exception) -> Response:
    log.error("unexpected error", exc_info=error, **about(request.environ))
    return problem(
        "internal", "The service failed at this request. Read the record to see whether anything was saved."
    )


def register(app: Flask) -> None:
    """Answers every error of the app as a problem, and `/problems/{code}` with what it means."""
    app.register_error_handler(Refusal, refused)
    app.register_error_handler(HTTPException, _http)
    app.register_error_handler(Exception, _unexpected)

    @app.get("/problems/<code>")
    def explain(code: str) -> Response:
        kind = KINDS.get(code)
        if kind is None:
            return problem("not-found", f"There is no kind of problem called {code!r}.")
        text = f"{kind.title} ({kind.status})\n\n{kind.remedy}\n"
        return Response(text, content_type="text/plain; charset=utf-8")
