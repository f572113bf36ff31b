"""Method override: PATCH, PUT and DELETE for clients that can only send GET and POST."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

_METHODS = frozenset({"PATCH", "PUT", "DELETE"})


class MethodOverride:
    """WSGI middleware: a POST with `X-HTTP-Method-Override` becomes the request that it names."""

    def __init__(self, app: Callable[..., Iterable[bytes]]) -> None:
        self._app = app

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        wanted = environ.get("HTTP_X_HTTP_METHOD_OVERRIDE", "").upper()
        if wanted in _METHODS and environ["REQUEST_METHOD"] == "POST":
            environ["REQUEST_METHOD"] = wanted
        return self._app(environ, start_response)
