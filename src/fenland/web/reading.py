"""Requests in: headers, query and body turned into what the use cases take."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from flask import Request
from werkzeug.exceptions import RequestEntityTooLarge

from fenland.core.definitions import Blank
from fenland.core.names import did_you_mean
from fenland.core.patches import read_object
from fenland.core.problems import Malformed, TooLarge, UnsupportedMedia
from fenland.core.rules import BLANKS
from fenland.service.finding import Preconditions
from fenland.service.service import Call

MERGE_PATCH = "application/merge-patch+json"
JSON = "application/json"
ACCEPT_PATCH = f"{MERGE_PATCH}, {JSON}"

#: Through what a change may say it came; anything else counts as the API itself.
VIAS = ("api", "client", "command-line", "console")

_ENTITY_TAGS = re.compile(r'\s*(?:(?:W/)?"[\x21\x23-\x7e\x80-\xff]*"\s*(?:,\s*|$))*')
_ENTITY_TAG = re.compile(r'(?:W/)?"[^"]*"')


def call_of(request: Request) -> Call:
    """Who is asking, by the Authorization header (RFC 6750) and our own `Fenland-Via`."""
    scheme, _, token = request.headers.get("Authorization", "").partition(" ")
    via = request.headers.get("Fenland-Via", "api")
    return Call(
        token=token.strip() if scheme.lower() == "bearer" else None,
        via=via if via in VIAS else "api",
        request_id=request.environ.get("fenland.request_id", ""),
    )


def _entity_tags(name: str, text: str | None) -> tuple[str, ...] | None:
    if text is None:
        return None
    if text.strip() == "*":
        return ("*",)
    tags = tuple(_ENTITY_TAG.findall(text))
    if not tags or not _ENTITY_TAGS.fullmatch(text):
        raise Malformed(f"{name} must be * or entity tags in double quotes, as ETag gave them.")
    return tags


def preconditions_of(request: Request) -> Preconditions:
    """The preconditions a request states (RFC 9110 section 13.1). Weak tags never match here."""
    headers = request.headers
    if "If-Match" not in headers and "If-None-Match" not in headers:
        return Preconditions()
    return Preconditions(
        match=_entity_tags("If-Match", headers.get("If-Match")),
        none_match=_entity_tags("If-None-Match", headers.get("If-None-Match")),
    )


def query_of(request: Request, *known: str) -> dict[str, str]:
    """The query's parameters. Raises `Malformed` for an unknown one, or one given twice."""
    if not request.query_string:
        return {}
    found = {}
    for name, values in request.args.lists():
        if name not in known:
            raise Malformed(f"There is no query parameter {name!r} here. {did_you_mean(name, known)}")
        if len(values) > 1:
            raise Malformed(f"The query parameter {name!r} stands twice. Send it once.")
        found[name] = values[0]
    return found


def whole_number(query: dict[str, str], name: str, default: int | None) -> int | None:
    """A whole number from the query, or the default. Raises `Malformed`."""
    text = query.get(name)
    if text is None:
        return default
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Malformed(f"{name} is {text!r}. It must be a whole number.")
    return int(text)


def flag(query: dict[str, str], name: str) -> bool:
    """A true or false from the query, false when it is not there. Raises `Malformed`."""
    text = query.get(name, "false")
    if text not in ("true", "false"):
        raise Malformed(f"{name} is {text!r}. It must be true or false.")
    return text == "true"


def blank_of(query: dict[str, str]) -> Blank | None:
    """What blanks shall mean for this request. Raises `Malformed`."""
    text = query.get("blank")
    if text is None:
        return None
    if text not in BLANKS:
        raise Malformed(f"blank is {text!r}. It must be one of {', '.join(BLANKS)}.")
    return text


def prefers(request: Request, preference: str) -> bool:
    """Whether the client prefers something (RFC 7240), such as `handling=lenient`."""
    sent = request.headers.get("Prefer")
    if sent is None:
        return False
    return preference in (part.split(";")[0].strip().lower() for part in sent.split(","))


def body_of(request: Request) -> bytes:
    """The body. Raises `TooLarge`."""
    try:
        return request.get_data(cache=False)
    except RequestEntityTooLarge:
        limit = request.max_content_length
        raise TooLarge(f"The body is larger than {limit} bytes. Send less at a time.") from None


def fields_reader(request: Request, *types: str) -> Callable[[], dict[str, Any]]:
    """A function that gives the fields a JSON body holds, or raises why it cannot be read.

    The body is taken now, while the request is at hand, and read later, in the turn of refusals.
    """
    kind = request.mimetype
    body = body_of(request)

    def read() -> dict[str, Any]:
        if kind not in types:
            found = f"is of type {kind!r}" if kind else "has no Content-Type"
            raise UnsupportedMedia(
                f"The body {found}, which is not read here. Send {' or '.join(types)}.",
                headers={"Accept-Patch": ACCEPT_PATCH},
            )
        return read_object(body)

    return read
