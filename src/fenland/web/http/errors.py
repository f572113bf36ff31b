"""Every refusal as RFC 9457 problem details; what kinds there are, `core/problems.py` says."""

from __future__ import annotations

from typing import Any

import structlog
from flask import Flask, Response, request
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from fenland.core.problems import (
    REFUSALS,
    Internal,
    Invalid,
    Malformed,
    MethodNotAllowed,
    NotFound,
    NotSignedIn,
    Refusal,
    TooLarge,
    Unavailable,
)
from fenland.core.values.plain import write_json
from fenland.web.console import page, wants_page
from fenland.web.http.environ import about

PROBLEM = "application/problem+json"

log = structlog.get_logger()


#: For what Flask itself refuses; the first kind of a status is its plain one.
_BY_STATUS = {kind.status: kind for kind in reversed(list(REFUSALS.values()))}
_RETRY_SECONDS = "1"


def problem_json(refusal: Refusal, prefix: str, **more: Any) -> dict[str, Any]:
    """The problem details of a refusal. `type` is a link to the service's own page about its kind."""
    found = {
        "type": f"{prefix}/problems/{refusal.code}",
        "title": refusal.title,
        "status": refusal.status,
        "detail": refusal.detail,
        **more,
        **refusal.extra,
    }
    found.pop("headers", None)
    if isinstance(refusal, Invalid):
        found["errors"] = [one.as_json() for one in refusal.problems]
    return found


def _headers(refusal: Refusal) -> dict[str, str]:
    found = {"Cache-Control": "no-store", **refusal.extra.get("headers", {})}
    if refusal.status == NotSignedIn.status:
        found["WWW-Authenticate"] = 'Bearer realm="fenland"'
    if isinstance(refusal, Unavailable):
        found["Retry-After"] = _RETRY_SECONDS
    return found


def bare_problem(refusal: Refusal, prefix: str) -> tuple[int, list[tuple[str, str]], bytes]:
    """Status, headers and body of a problem, for where there is no request that Flask knows of."""
    headers = {"Content-Type": PROBLEM, **_headers(refusal), "X-Content-Type-Options": "nosniff"}
    return refusal.status, list(headers.items()), write_json(problem_json(refusal, prefix))


def refused(refusal: Refusal) -> Response:
    """The answer for a refusal."""
    environ = request.environ
    extra = {"request_id": environ.get("fenland.request_id", "")}
    body = write_json(problem_json(refusal, environ.get("SCRIPT_NAME", ""), **extra))
    return Response(body, refusal.status, _headers(refusal), content_type=PROBLEM)


def _http(error: HTTPException) -> Response:
    """The answer for what Flask itself refuses: unknown routes, methods, bodies too large."""
    if isinstance(error, RequestEntityTooLarge):
        return refused(TooLarge("The body is larger than the service reads."))
    status = error.code or 500
    if status == 404 and wants_page(request):
        return page()
    kind = _BY_STATUS.get(status, Malformed if status < 500 else Internal)
    detail = error.description or kind.remedy
    if kind is NotFound:
        detail = f"There is nothing at {request.path}. The addresses are listed in /v1/openapi.json."
    if kind is MethodNotAllowed:
        detail = f"{request.method} is not possible at {request.path}."
    allow = {name: value for name, value in error.get_headers() if name.lower() == "allow"}
    return refused(kind(detail, headers=allow))


def _unexpected(error: Exception) -> Response:
    log.error("unexpected error", exc_info=error, **about(request.environ))
    return refused(
        Internal("The service failed at this request. Read the record to see whether anything was saved.")
    )


def register(app: Flask) -> None:
    """Answers every error of the app as a problem, and `/problems/{code}` with what it means."""
    app.register_error_handler(Refusal, refused)
    app.register_error_handler(HTTPException, _http)
    app.register_error_handler(Exception, _unexpected)

    @app.get("/problems/<code>")
    def explain(code: str) -> Response:
        kind = REFUSALS.get(code)
        if kind is None:
            return refused(NotFound(f"There is no kind of problem called {code!r}."))
        text = f"{kind.title} ({kind.status})\n\n{kind.remedy}\n"
        return Response(text, content_type="text/plain; charset=utf-8")
