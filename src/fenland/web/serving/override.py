"""Method override: PATCH, PUT and DELETE for clients that can only send GET and POST."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any
from urllib.parse import unquote

from fenland.core.problems import Malformed
from fenland.web.http.errors import bare_problem

_METHODS = frozenset({"PATCH", "PUT", "DELETE"})
#: What a query says of it, for those who can set no headers either; nothing but the API is asked so.
_SAID = re.compile(r"(?:^|(?<=&))method=([^&]*)(?:&|$)")
_API = "/v1/"


class MethodOverride:
    """WSGI middleware: a POST becomes what `X-HTTP-Method-Override`, or its query's `method`, names."""

    def __init__(self, app: Callable[..., Iterable[bytes]]) -> None:
        self._app = app

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        if environ["REQUEST_METHOD"] == "POST":
            try:
                environ["REQUEST_METHOD"] = _meant(environ)
            except Malformed as refusal:
                status, headers, body = bare_problem(refusal, environ.get("SCRIPT_NAME", ""))
                start_response(f"{status} Bad Request", [*headers, ("Content-Length", str(len(body)))])
                return [body]
        return self._app(environ, start_response)


def _meant(environ: dict[str, Any]) -> str:
    """The method that a POST stands for; what its query says of it is read here, and by nobody else."""
    query = environ.get("QUERY_STRING", "")
    names = {}
    if "method=" in query and environ.get("PATH_INFO", "").startswith(_API) and (said := _SAID.search(query)):
        names["method"] = unquote(said[1])
        environ["QUERY_STRING"] = (query[: said.start()] + query[said.end() :]).rstrip("&")
    if (header := environ.get("HTTP_X_HTTP_METHOD_OVERRIDE")) is not None:
        names["X-HTTP-Method-Override"] = header
    for name, wanted in names.items():
        if wanted.upper() not in (*_METHODS, "POST"):
            raise Malformed(f"{name} is {wanted[:80]!r}. It may be one of {', '.join(sorted(_METHODS))}.")
    meant = {wanted.upper() for wanted in names.values()}
    if len(meant) > 1:
        raise Malformed("method and X-HTTP-Method-Override name two methods. Send one of them.")
    return meant.pop() if meant else "POST"
