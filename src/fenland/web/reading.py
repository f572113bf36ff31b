"""Requests in: headers, query and body turned into what the use cases take.

Headers are read from the WSGI environment (PEP 3333), which costs a tenth of asking the request.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any, TypeVar
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
from fenland.core.problems import Malformed, Refusal, UnsupportedMedia
from fenland.core.rules import BLANKS, Rules
from fenland.service.finding import UNCONDITIONAL, Base, Preconditions, checked_reason
from fenland.service.listing import LARGEST_PAGE, USUAL_PAGE
from fenland.service.once import LONGEST_KEY, Once
from fenland.service.service import Call, Service
from fenland.web.inputs import read_inputs
from fenland.web.logs import ACCOUNT

Result = TypeVar("Result")

JSON = "application/json"
MERGE_PATCH = "application/merge-patch+json"
JSON_PATCH = "application/json-patch+json"
EDITS = "application/vnd.fenland.edits+json"
FORM_TYPES = ("application/x-www-form-urlencoded", "multipart/form-data")
PATCH_TYPES = (MERGE_PATCH, JSON, JSON_PATCH, EDITS, *FORM_TYPES)
ACCEPT_PATCH = ", ".join(PATCH_TYPES)

#: Where the whole body lies in the WSGI environment, once the front has read it.
BODY = "fenland.body"

#: Through what a change may say it came; anything else counts as the API itself.
VIAS = ("api", "client", "command-line", "console")

_ENTITY_TAGS = re.compile(r'\s*(?:(?:W/)?"[\x21\x23-\x7e\x80-\xff]*"\s*(?:,\s*|$))*')
#: An entity tag as `?base=` takes it, with or without its quotes.
_BASE_TAG = re.compile(r'"?(?P<id>[0-9a-fA-F-]{36})\.(?P<version>[0-9]{1,18})"?')
#: How a client may name itself; a name of another form is taken for none.
_CLIENT = re.compile(r"[A-Za-z0-9._~-]{8,64}")
_ENTITY_TAG = re.compile(r'(?:W/)?"[^"]*"')


def call_of(request: Request, service: Service) -> Call:
    """Who is asking, by the Authorization header (RFC 6750) and our own `Fenland-Via`, `Fenland-Client`.

    To be asked before all else, since nothing is told to who is not signed in. Raises `NotSignedIn`.
    """
    environ = request.environ
    scheme, _, token = environ.get("HTTP_AUTHORIZATION", "").partition(" ")
    via = environ.get("HTTP_FENLAND_VIA", "api")
    client = environ.get("HTTP_FENLAND_CLIENT")
    if client is not None and not _CLIENT.fullmatch(client):
        client = None
    known = token.strip() if scheme.lower() == "bearer" else None
    via = via if via in VIAS else "api"
    actor = service.actor_of(known, via)
    environ[ACCOUNT] = actor.name
    return Call(known, via, environ.get("fenland.request_id", ""), client, actor)


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


def base_of(query: dict[str, str]) -> Base | None:
    """What the caller was looking at: a version, or better the entity tag. Raises `Malformed`."""
    text = query.get("base")
    if text is None:
        return None
    tag = _BASE_TAG.fullmatch(text)
    if tag is not None:
        return Base(int(tag["version"]), tag["id"].lower())
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Malformed(f"base is {text[:80]!r}. It must be a version, or the ETag you were given.")
    return Base(int(text))


def reason_of(query: dict[str, str]) -> str | None:
    """Why a change is made. Raises `Malformed`."""
    return checked_reason(query.get("reason"))


def names_of(query: dict[str, str], name: str) -> tuple[str, ...]:
    """The names in a parameter that lists them by comma. Raises `Malformed`."""
    if name not in query:
        return ()
    names = tuple(part.strip() for part in query[name].split(","))
    if not all(names):
        raise Malformed(f"{name} is {query[name]!r}. It must be names by comma.")
    return names


def page_size(query: dict[str, str]) -> int:
    """How many items a page of a history is to hold. Raises `Malformed`."""
    size = whole_number(query, "limit", USUAL_PAGE) or 0
    if not 1 <= size <= LARGEST_PAGE:
        raise Malformed(f"limit is {query['limit']}. It must be from 1 to {LARGEST_PAGE}.")
    return size


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


def _check_kind(request: Request, kind: str, known: Iterable[str]) -> None:
    if kind not in known:
        found = f"is of type {kind!r}" if kind else "has no Content-Type"
        raise UnsupportedMedia(
            f"The body {found}, which is not read here. Send one of {', '.join(known)}.",
            headers={"Accept-Patch": ACCEPT_PATCH},
        )
    check_coding(request)


def check_coding(request: Request) -> None:
    """Raises `UnsupportedMedia` for a body that is compressed, or in other characters than UTF-8's."""
    coding = request.environ.get("HTTP_CONTENT_ENCODING", "").strip().lower()
    if coding not in ("", "identity"):
        raise UnsupportedMedia(
            f"The body is coded as {coding!r}, which is not read here. Send it as it is.",
            headers={"Accept-Encoding": "identity"},
        )
    sent: str = request.environ.get("CONTENT_TYPE", "")
    if "charset" in sent.lower():
        charset = request.mimetype_params.get("charset", "utf-8").lower()
        if charset not in ("utf-8", "utf8", "us-ascii"):
            raise UnsupportedMedia(
                f"The body is in {charset!r}. Send it in UTF-8.", headers={"Accept-Patch": ACCEPT_PATCH}
            )


class InTurn:
    """Reads parts of a request now; the first refusal is kept, to be raised in its turn.

    What a request asks wrongly is told after whether its record is there and may be changed.
    """

    def __init__(self) -> None:
        self.refusal: Refusal | None = None

    def read(self, part: Callable[[], Result], otherwise: Result) -> Result:
        """What was read, or, with its refusal kept, what to go on with."""
        try:
            return part()
        except Refusal as refusal:
            self.refusal = self.refusal or refusal
            return otherwise

    def query(self, request: Request, *known: str) -> dict[str, str]:
        """The query's parameters, as `query_of` gives them."""
        nothing: dict[str, str] = {}
        return self.read(lambda: query_of(request, *known), nothing)

    def check(self) -> None:
        """Raises the refusal that was kept, if there is one."""
        if self.refusal is not None:
            raise self.refusal


def later(read: Callable[[], Result]) -> Callable[[], Result]:
    """Reads at once, and gives what was read, or raises the refusal, when it is asked for."""
    try:
        found = read()
    except Refusal as refusal:
        kept = refusal

        def refuse() -> Result:
            raise kept

        return refuse
    return lambda: found


def _form_reader(request: Request, limits: Limits, turn: InTurn) -> Callable[[Rules], MergePatch]:
    def read() -> Mapping[str, list[str]]:
        check_coding(request)
        turn.check()
        return read_inputs(request.environ.get("CONTENT_TYPE", ""), body_of(request, limits), limits)

    sent = later(read)
    return lambda rules: read_form(rules.collection.fields, sent(), limits)


def patch_reader(request: Request, limits: Limits, turn: InTurn) -> Callable[[Rules], Patch]:
    """A function that gives the patch a body holds, or raises why it cannot be read.

    The body is read now, before anything is waited for; why it cannot be is told in the turn of refusals.
    """
    kind = kind_of_body(request)
    if kind in FORM_TYPES:
        return _form_reader(request, limits, turn)

    def read() -> Patch:
        _check_kind(request, kind, PATCH_TYPES)
        turn.check()
        body = body_of(request, limits)
        if kind == JSON_PATCH:
            return read_json_patch(body, limits)
        return read_edits(body, limits) if kind == EDITS else MergePatch(read_object(body, limits))

    patch = later(read)
    return lambda rules: patch()


def fields_reader(request: Request, limits: Limits, turn: InTurn) -> Callable[[Rules], Mapping[str, Any]]:
    """The same for a whole record: JSON, or a form."""
    kind = kind_of_body(request)
    if kind in FORM_TYPES:
        read_sent = _form_reader(request, limits, turn)
        return lambda rules: read_sent(rules).fields

    def read() -> Mapping[str, Any]:
        _check_kind(request, kind, (JSON, *FORM_TYPES))
        turn.check()
        return read_object(body_of(request, limits), limits)

    fields = later(read)
    return lambda rules: fields()


def replacement_reader(request: Request, limits: Limits, turn: InTurn) -> Callable[[Rules], Patch]:
    """The same for a whole record that is to take the place of the stored one."""
    read_fields = fields_reader(request, limits, turn)
    return lambda rules: rules.replacement(read_fields(rules))


#: How a body becomes a patch; see `patch_reader`.
PatchReader = Callable[[Request, Limits, InTurn], Callable[[Rules], Patch]]


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
        request.headers.get("If-None-Match", ""),
        request.headers.get("Prefer", ""),
    ):
        told.update(part.encode() + b"\0")
    told.update(body_of(request, limits))
    return Once(key, told.hexdigest())
