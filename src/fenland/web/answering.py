"""Answers out: JSON with the headers that HTTP asks for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from http import HTTPStatus
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from fenland.core.problems import MOST_PROBLEMS
from fenland.core.values import write_json
from fenland.service.read import Found
from fenland.service.saved import Saved
from fenland.web.calls import Call
from fenland.web.parameters import IF_NONE_MATCH
from fenland.web.patch_formats import ACCEPT_PATCH

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIEnvironment

JSON_TYPE = "application/json"

#: Answers depend on who asks: shared caches must not keep them, and clients must ask again.
_PRIVATE = "private, no-cache"
_STATUS_LINES = {one.value: f"{one.value} {one.phrase}" for one in HTTPStatus}
_HEADERS = {"Content-Type": JSON_TYPE, "Cache-Control": _PRIVATE, "Vary": "Authorization, Cookie"}


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


def record_answer(call: Call, saved: Saved, location: str | None = None) -> Answer:
    """A saved record as the answer to a change, as RFC 7240 preferences would have it.

    `location` is where a record is that was created.
    """
    status, headers = (200, {}) if location is None else (201, {"Location": location})
    if not saved.unseen:
        headers["ETag"] = saved.etag
    elif location is None:
        # Done, and not theirs to see any more.
        status = 204
    if saved.repeated:
        headers |= REPEATED
    if not call.query and "HTTP_PREFER" not in call.environ:
        return Answer(None, 204, headers) if status == 204 else json_answer(saved.record, status, headers)
    applied = []
    if call.prefers("handling=lenient"):
        applied.append("handling=lenient")
        if saved.dropped:
            # Names come from outside: escaped, they can break neither the header nor the list.
            headers["Fenland-Ignored"] = ", ".join(quote(name) for name in saved.dropped[:MOST_PROBLEMS])
    minimal = call.prefers("return=minimal")
    if minimal:
        applied.append("return=minimal")
    if applied:
        headers["Preference-Applied"] = ", ".join(applied)
    if minimal or status == 204:
        return Answer(b"", 201, headers) if location is not None else Answer(None, 204, headers)
    return json_answer(saved.record, status, headers)


def fresh_answer(call: Call, found: Found) -> Answer:
    """A record that was read: 304 when the client has this version already (RFC 9110, 13.1.2)."""
    held = call.header(IF_NONE_MATCH)
    call.check()
    # Reading compares weakly: a tag that a proxy has marked as weak still names this version.
    if held is not None and (held == ("*",) or found.etag in [tag.removeprefix("W/") for tag in held]):
        headers = {"ETag": found.etag, "Cache-Control": _PRIVATE, "Vary": "Authorization, Cookie"}
        return Answer(None, 304, headers)
    headers = {"ETag": found.etag, "Accept-Patch": ACCEPT_PATCH}
    if found.included is None:
        return json_answer(found.record, headers=headers)
    # Beside the record and not in it, so that what is sent back is a record still.
    return json_answer({"record": found.record, "included": found.included}, headers=headers)
