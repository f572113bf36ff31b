"""The headers of a request: preconditions, preferences, and the key of what is to be done once.

They are read from the WSGI environment (PEP 3333), which costs a tenth of asking the request.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable

from flask import Request

from fenland.core.limits import Limits
from fenland.core.problems import Malformed
from fenland.service.finding import UNCONDITIONAL, Preconditions
from fenland.service.once import LONGEST_KEY, Once
from fenland.web.body import body_of

_ENTITY_TAGS = re.compile(r'\s*(?:(?:W/)?"[\x21\x23-\x7e\x80-\xff]*"\s*(?:,\s*|$))*')
_ENTITY_TAG = re.compile(r'(?:W/)?"[^"]*"')


#: The same preferences as parameters of the query.
_IN_QUERY = {"handling=lenient": "lenient=true", "return=minimal": "return=minimal"}
#: Gives the body of a request, by what bounds it.
ReadBody = Callable[[Request, Limits], bytes]


def prefix_of(request: Request) -> str:
    """The path under which clients reach the service, to begin every address with."""
    prefix: str = request.environ.get("SCRIPT_NAME", "")
    return prefix


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
    match = request.environ.get("HTTP_IF_MATCH")
    none_match = request.environ.get("HTTP_IF_NONE_MATCH")
    if match is None and none_match is None:
        return UNCONDITIONAL
    return Preconditions(_entity_tags("If-Match", match), _entity_tags("If-None-Match", none_match))


def refuse_preconditions(request: Request) -> None:
    """Raises `Malformed` where a request about no one record says which version it is about."""
    for name in ("If-Match", "If-None-Match"):
        if request.environ.get(f"HTTP_{name.upper().replace('-', '_')}") is not None:
            raise Malformed(f"{name} is about one record, and this is not. Leave it out.")


def prefers(request: Request, preference: str) -> bool:
    """Whether the client prefers something (RFC 7240), such as `handling=lenient`."""
    query: str = request.environ.get("QUERY_STRING", "")
    if query and _IN_QUERY[preference] in query.split("&"):
        return True
    sent = request.environ.get("HTTP_PREFER")
    if sent is None:
        return False
    return preference in (part.split(";")[0].strip().lower() for part in sent.split(","))


def once_of(request: Request, limits: Limits, read: ReadBody = body_of) -> Once | None:
    """The idempotency key of a request, with a fingerprint of all that makes it what it is."""
    key: str | None = request.environ.get("HTTP_IDEMPOTENCY_KEY")
    if key is None:
        return None
    key = key.strip().strip('"')
    if not 1 <= len(key) <= LONGEST_KEY:
        raise Malformed(f"Idempotency-Key must be 1 to {LONGEST_KEY} characters long.")
    told = hashlib.sha256()
    for part in (
        request.method,
        request.full_path,
        request.mimetype,
        request.headers.get("If-Match", ""),
        request.headers.get("If-None-Match", ""),
        request.headers.get("Prefer", ""),
    ):
        told.update(part.encode() + b"\0")
    told.update(read(request, limits))
    return Once(key, told.hexdigest())
