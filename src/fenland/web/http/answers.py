"""Answers out: JSON with the headers that HTTP asks for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from http import HTTPStatus
from typing import TYPE_CHECKING, Any

from fenland.core.values.plain import write_json

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIEnvironment

JSON_TYPE = "application/json"

#: Answers depend on who asks: shared caches must not keep them, and clients must ask again.
PRIVATE = "private, no-cache"
_STATUS_LINES = {one.value: f"{one.value} {one.phrase}" for one in HTTPStatus}
_HEADERS = {"Content-Type": JSON_TYPE, "Cache-Control": PRIVATE, "Vary": "Authorization, Cookie"}


#: What says that an answer is the kept outcome of an earlier request with the same idempotency key.
REPEATED: Mapping[str, str] = {"Fenland-Repeated": "true"}


class Answer:
    """An answer whose body lies whole in memory, or that has none: a small WSGI application (PEP 3333).

    It sends its headers as they are given. Flask's own response would copy and correct them first,
    which costs more than all else between the saved record and the socket.
    """

    __slots__ = ("body", "headers", "status")

    def __init__(self, body: bytes | None, status: int, headers: Mapping[str, str]) -> None:
        self.body = body
        self.status = status
        self.headers = headers

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        """Sends it; without the body, for HEAD."""
        lines = list(self.headers.items())
        if self.body is None:
            start_response(_STATUS_LINES[self.status], lines)
            return []
        lines.append(("Content-Length", str(len(self.body))))
        start_response(_STATUS_LINES[self.status], lines)
        return [] if environ["REQUEST_METHOD"] == "HEAD" else [self.body]


def json_answer(value: Any, status: int = 200, headers: Mapping[str, str] | None = None) -> Answer:
    """A JSON answer, private to its caller."""
    return Answer(write_json(value), status, {**_HEADERS, **headers} if headers else _HEADERS)
