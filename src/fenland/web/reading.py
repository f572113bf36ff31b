"""Requests in: headers, query and body turned into what the use cases take.

Headers are read from the WSGI environment (PEP 3333), which costs a tenth of asking the request.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any
from urllib.parse import parse_qsl, quote

from flask import Request
from werkzeug.exceptions import RequestEntityTooLarge

from fenland.core.definitions import Blank
from fenland.core.edits import read_edits
from fenland.core.forms import read_form
from fenland.core.json_patch import read_json_patch
from fenland.core.limits import Limits, beyond
from fenland.core.names import did_you_mean
from fenland.core.patches import MergePatch, Patch, read_object
from fenland.core.problems import Malformed, UnsupportedMedia
from fenland.core.rules import BLANKS, Rules
from fenland.service.finding import UNCONDITIONAL, Preconditions
from fenland.service.once import LONGEST_KEY, Once
from fenland.service.service import Call

JSON = "application/json"
MERGE_PATCH = "application/merge-patch+json"
JSON_PATCH = "application/json-patch+json"
EDITS = "application/vnd.fenland.edits+json"
FORM_TYPES = ("application/x-www-form-urlencoded", "multipart/form-data")
PATCH_TYPES = (MERGE_PATCH, JSON, JSON_PATCH, EDITS, *FORM_TYPES)
ACCEPT_PATCH = ", ".join(PATCH_TYPES)

#: Where the whole body lies in the WSGI environment, once `turns.py` has read it.
BODY = "fenland.body"

#: Through what a change may say it came; anything else counts as the API itself.
VIAS = ("api", "client", "command-line", "console")

_ENTITY_TAGS = re.compile(r'\s*(?:(?:W/)?"[\x21\x23-\x7e\x80-\xff]*"\s*(?:,\s*|$))*')
_ENTITY_TAG = re.compile(r'(?:W/)?"[^"]*"')


def call_of(request: Request) -> Call:
    """Who is asking, by the Authorization header (RFC 6750) and our own `Fenland-Via`."""
    environ = request.environ
    scheme, _, token = environ.get("HTTP_AUTHORIZATION", "").partition(" ")
    via = environ.get("HTTP_FENLAND_VIA", "api")
    return Call(
        token=token.strip() if scheme.lower() == "bearer" else None,
        via=via if via in VIAS else "api",
        request_id=environ.get("fenland.request_id", ""),
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
    match = request.environ.get("HTTP_IF_MATCH")
    none_match = request.environ.get("HTTP_IF_NONE_MATCH")
    if match is None and none_match is None:
        return UNCONDITIONAL
    return Preconditions(_entity_tags("If-Match", match), _entity_tags("If-None-Match", none_match))


def query_of(request: Request, *known: str) -> dict[str, str]:
    """The query's parameters. Raises `Malformed` for an unknown one, or one given twice."""
    sent: str = request.environ.get("QUERY_STRING", "")
    if not sent:
        return {}
    try:
        pairs = parse_qsl(sent.encode("latin-1").decode(), keep_blank_values=True, errors="strict")
    except UnicodeError:
        raise Malformed("The query is not UTF-8. Percent-encode the bytes of UTF-8.") from None
    found: dict[str, str] = {}
    for name, value in pairs:
        if name not in known:
            raise Malformed(f"There is no query parameter {name!r} here. {did_you_mean(name, known)}")
        if name in found:
            raise Malformed(f"The query parameter {name!r} stands twice. Send it once.")
        found[name] = value
    return found


def query_with(query: Mapping[str, str], **other: Any) -> str:
    """The text of a query with some of its parameters set otherwise."""
    return "&".join(f"{name}={quote(str(value), safe='')}" for name, value in {**query, **other}.items())


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
    sent = request.environ.get("HTTP_PREFER")
    if sent is None:
        return False
    return preference in (part.split(";")[0].strip().lower() for part in sent.split(","))


def body_of(request: Request, limits: Limits) -> bytes:
    """The body. Raises `TooLarge`."""
    body: bytes | None = request.environ.get(BODY)
    if body is None:
        try:
            body = request.get_data()
        except RequestEntityTooLarge:
            body = None
    if body is None or len(body) > limits.body:
        raise beyond("body_limit", limits.body, "The body has too many bytes.")
    return body


def kind_of_body(request: Request) -> str:
    """The media type of the body, without parameters and in lower case."""
    sent: str = request.environ.get("CONTENT_TYPE", "")
    return sent if sent in PATCH_TYPES else request.mimetype


def _check_kind(kind: str, known: Iterable[str]) -> None:
    if kind not in known:
        found = f"is of type {kind!r}" if kind else "has no Content-Type"
        raise UnsupportedMedia(
            f"The body {found}, which is not read here. Send one of {', '.join(known)}.",
            headers={"Accept-Patch": ACCEPT_PATCH},
        )


def _form_reader(request: Request, limits: Limits) -> Callable[[Rules], MergePatch]:
    # Kept whole first, so that a fingerprint can be taken of it, too.
    body_of(request, limits)
    try:
        sent = {name: request.form.getlist(name) for name in request.form}
        files = list(request.files)
    except RequestEntityTooLarge:
        raise beyond("operation_limit", limits.operations, "The form has too many inputs.") from None

    def read(rules: Rules) -> MergePatch:
        if files:
            raise UnsupportedMedia(f"The form holds a file, {files[0]!r}. Files are not taken here.")
        return read_form(rules.collection.fields, sent)

    return read


def patch_reader(request: Request, limits: Limits) -> Callable[[Rules], Patch]:
    """A function that gives the patch a body holds, or raises why it cannot be read.

    The body is taken now, while the request is at hand, and read later, in the turn of refusals.
    """
    kind = kind_of_body(request)
    if kind in FORM_TYPES:
        return _form_reader(request, limits)
    body = body_of(request, limits)

    def read(rules: Rules) -> Patch:
        _check_kind(kind, PATCH_TYPES)
        if kind == JSON_PATCH:
            return read_json_patch(body, limits)
        return read_edits(body, limits) if kind == EDITS else MergePatch(read_object(body, limits))

    return read


def fields_reader(request: Request, limits: Limits) -> Callable[[Rules], Mapping[str, Any]]:
    """The same for a whole record: JSON, or a form."""
    kind = kind_of_body(request)
    if kind in FORM_TYPES:
        read_sent = _form_reader(request, limits)
        return lambda rules: read_sent(rules).fields
    body = body_of(request, limits)

    def read(rules: Rules) -> Mapping[str, Any]:
        _check_kind(kind, (JSON, *FORM_TYPES))
        return read_object(body, limits)

    return read


def once_of(request: Request, limits: Limits) -> Once | None:
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
        request.headers.get("Prefer", ""),
    ):
        told.update(part.encode() + b"\0")
    told.update(body_of(request, limits))
    return Once(key, told.hexdigest())
