"""Other origins: which pages elsewhere may ask the service from a browser (CORS, by the Fetch standard).

Pages of origins that are named may use a session's cookie, too; where all are allowed (`*`), none may. A WSGI
middleware, since most answers here are no Flask responses.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

Start = Callable[..., Any]

#: What a page elsewhere may send, and read of an answer, beyond what the standard lets it anyway.
SENT = (
    "Authorization", "Content-Type", "If-Match", "If-None-Match", "Idempotency-Key", "Prefer",
    "X-HTTP-Method-Override", "X-Request-ID", "Fenland-Via", "Fenland-Client", "Fenland-CSRF",
    "Fenland-On-Behalf-Of", "Last-Event-ID",
)  # fmt: skip
READ = (
    "ETag", "Location", "Link", "Accept-Patch", "Allow", "Preference-Applied", "Retry-After",
    "WWW-Authenticate", "X-Request-ID", "Fenland-Repeated", "Fenland-Ignored", "Fenland-Copies",
    "RateLimit", "RateLimit-Policy",
)  # fmt: skip
_METHODS = "GET, HEAD, POST, PUT, PATCH, DELETE"
#: Seconds for which a browser need not ask again what it may send.
_KEPT = "600"


class Origins:
    """WSGI middleware (PEP 3333): answers preflights, and lets pages of the allowed origins read answers."""

    def __init__(self, app: Callable[..., Iterable[bytes]], allowed: Sequence[str]) -> None:
        self._app = app
        self._allowed = frozenset(allowed)

    def __call__(self, environ: dict[str, Any], start_response: Start) -> Iterable[bytes]:
        """Answers one request."""
        origin = environ.get("HTTP_ORIGIN", "")
        welcome = "*" in self._allowed or origin.lower() in self._allowed
        if not origin or not welcome:

            def varied(status: str, headers: list[tuple[str, str]], *rest: Any) -> Any:
                return start_response(status, [*headers, ("Vary", "Origin")], *rest)

            return self._app(environ, varied)
        given = [("Access-Control-Allow-Origin", origin), ("Vary", "Origin")]
        if origin.lower() in self._allowed:
            given.append(("Access-Control-Allow-Credentials", "true"))
        if environ["REQUEST_METHOD"] == "OPTIONS" and "HTTP_ACCESS_CONTROL_REQUEST_METHOD" in environ:
            given += [
                ("Access-Control-Allow-Methods", _METHODS),
                ("Access-Control-Allow-Headers", ", ".join(SENT)),
                ("Access-Control-Max-Age", _KEPT),
            ]
            start_response("204 No Content", given)
            return []
        given.append(("Access-Control-Expose-Headers", ", ".join(READ)))

        def shared(status: str, headers: list[tuple[str, str]], *rest: Any) -> Any:
            return start_response(status, [*headers, *given], *rest)

        return self._app(environ, shared)
