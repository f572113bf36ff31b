"""Answers out: JSON with the headers that HTTP asks for."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any
from urllib.parse import quote

from flask import Request, Response
from werkzeug.datastructures import Headers

from fenland.core.values import write_json
from fenland.service.finding import visible
from fenland.service.saving import Saved
from fenland.service.service import Resource
from fenland.web.reading import ACCEPT_PATCH, preconditions_of, prefers

if TYPE_CHECKING:
    from _typeshed.wsgi import WSGIEnvironment

JSON_TYPE = "application/json"

#: Answers depend on who asks: shared caches must not keep them, and clients must ask again.
_PRIVATE = "private, no-cache"
_HEADERS = {"Content-Type": JSON_TYPE, "Cache-Control": _PRIVATE, "Vary": "Authorization"}


class Answer(Response):
    """An answer with a body that lies whole in memory, and whose headers go out as they are.

    Werkzeug would copy them first and correct what was left open, such as the length.
    """

    def __init__(self, body: bytes, status: int, headers: Mapping[str, str]) -> None:
        super().__init__([body], status, {**headers, "Content-Length": str(len(body))})

    def get_wsgi_headers(self, environ: WSGIEnvironment) -> Headers:
        """The headers themselves."""
        return self.headers


def json_answer(value: Any, status: int = 200, headers: Mapping[str, str] | None = None) -> Response:
    """A JSON answer, private to its caller."""
    return Answer(write_json(value), status, {**_HEADERS, **headers} if headers else _HEADERS)


def record_answer(request: Request, resource: Resource, saved: Saved, status: int = 200) -> Response:
    """A saved record as the answer to a change, as RFC 7240 preferences would have it."""
    headers = {"ETag": saved.etag}
    if saved.repeated:
        headers["Fenland-Repeated"] = "true"
    applied = []
    if prefers(request, "handling=lenient"):
        applied.append("handling=lenient")
        if saved.dropped:
            # Names come from outside: escaped, they can break neither the header nor the list.
            headers["Fenland-Ignored"] = ", ".join(quote(name) for name in saved.dropped)
    minimal = prefers(request, "return=minimal")
    if minimal:
        applied.append("return=minimal")
    if applied:
        headers["Preference-Applied"] = ", ".join(applied)
    if minimal:
        return Response(status=status if status == 201 else 204, headers=headers)
    return json_answer(visible(saved.record, resource), status, headers)


def fresh_answer(request: Request, resource: Resource, saved: Saved) -> Response:
    """A record that was read: 304 when the client has this version already (RFC 9110, 13.1.2)."""
    held = preconditions_of(request).none_match
    # Reading compares weakly: a tag that a proxy has marked as weak still names this version.
    if held is not None and (held == ("*",) or saved.etag in [tag.removeprefix("W/") for tag in held]):
        headers = {"ETag": saved.etag, "Cache-Control": _PRIVATE, "Vary": "Authorization"}
        return Response(status=304, headers=headers)
    headers = {"ETag": saved.etag, "Accept-Patch": ACCEPT_PATCH}
    return json_answer(visible(saved.record, resource), headers=headers)
