"""Method override: PATCH, PUT and DELETE for clients that can only send GET and POST."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from fenland.core.problems import Malformed
from fenland.web.http.errors import bare_problem

_METHODS = frozenset({"PATCH", "PUT", "DELETE"})


class MethodOverride:
    """WSGI middleware: a POST with `X-HTTP-Method-Override` becomes the request that it names."""

    def __init__(self, app: Callable[..., Iterable[bytes]]) -> None:
        self._app = app

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        wanted = environ.get("HTTP_X_HTTP_METHOD_OVERRIDE")
        if wanted is not None and environ["REQUEST_METHOD"] == "POST":
            if wanted.upper() not in (*_METHODS, "POST"):
                methods = ", ".join(sorted(_METHODS))
                detail = f"X-HTTP-Method-Override is {wanted[:80]!r}. It may be one of {methods}."
                status, headers, body = bare_problem(Malformed(detail), environ.get("SCRIPT_NAME", ""))
                start_response(f"{status} Bad Request", [*headers, ("Content-Length", str(len(body)))])
                return [body]
            environ["REQUEST_METHOD"] = wanted.upper()
        return self._app(environ, start_response)
