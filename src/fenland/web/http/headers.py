"""How the headers of a request are read: preconditions, preferences, and the key of what is to be done once.

They are read from the WSGI environment (PEP 3333), which costs a tenth of asking the request.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable

from flask import Request

from fenland.core.limits import Limits
from fenland.core.problems import Malformed
from fenland.core.values.identity import uncoded_tag
from fenland.service.records.once import LONGEST_KEY, Once
from fenland.web.http.body import body_of

_ENTITY_TAGS = re.compile(r'\s*(?:(?:W/)?"[\x21\x23-\x7e\x80-\xff]*"\s*(?:,\s*|$))*')
_ENTITY_TAG = re.compile(r'(?:W/)?"[^"]*"')


#: Gives the body of a request, by what bounds it.
ReadBody = Callable[[Request, Limits], bytes]


def entity_tags(name: str, text: str) -> tuple[str, ...] | None:
    """The entity tags of a precondition (RFC 9110 section 13.1). Raises `Malformed`."""
    if text.strip() == "*":
        return ("*",)
    tags = tuple(_ENTITY_TAG.findall(text))
    if not tags or not _ENTITY_TAGS.fullmatch(text):
        raise Malformed(f"{name} must be * or entity tags in double quotes, as ETag gave them.")
    # Whether an answer was compressed says nothing of what it is an answer about.
    return tuple(map(uncoded_tag, tags))


def preferences(text: str) -> frozenset[str]:
    """What a client prefers (RFC 7240), such as `handling=lenient`; without parameters."""
    return frozenset(part.split(";")[0].strip().lower() for part in text.split(","))


def once_of(request: Request, limits: Limits, read: ReadBody = body_of) -> Once | None:
    """The idempotency key of a request, with a fingerprint of all that makes it what it is."""
    key: str | None = request.environ.get("HTTP_IDEMPOTENCY_KEY")
    if key is None:
        return None
    key = key.strip().strip('"')
    if not 1 <= len(key) <= LONGEST_KEY:
        raise Malformed(f"Idempotency-Key must be 1 to {LONGEST_KEY} characters long.")
    digest = hashlib.sha256()
    for part in (
        request.method,
        request.full_path,
        request.mimetype,
        request.headers.get("If-Match", ""),
        request.headers.get("If-None-Match", ""),
        request.headers.get("Prefer", ""),
    ):
        digest.update(part.encode() + b"\0")
    digest.update(read(request, limits))
    return Once(key, digest.hexdigest())
