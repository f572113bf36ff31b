"""The parameters of requests, a row each: the name, how it is read, its default, and what it means.

A route names the rows that it takes; what it does not name is refused, and the document says the same.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, Generic, TypeVar, get_args

from fenland.core.changes.rules import BLANKS
from fenland.core.changes.tabular import Form
from fenland.core.definitions.model import Blank
from fenland.core.problems import Malformed
from fenland.core.values.identity import read_etag, timestamp
from fenland.core.values.plain import read_json
from fenland.service.changes.finding import Base, checked_reason
from fenland.service.files.rows import MODES, Mode
from fenland.service.history.searching import EQUAL
from fenland.service.records.listing import LARGEST_PAGE, USUAL_PAGE
from fenland.service.records.once import LONGEST_KEY
from fenland.storage.door import DeliveryState, ProposalState
from fenland.web.http.body import MEDIA
from fenland.web.http.headers import entity_tags, preferences
from fenland.web.http.schemas import BASE, FLAG, NUMBER, REASON, TEXT, TIME, Schema

T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class Parameter(Generic[T]):
    """One parameter. `read` takes its name and its text, and raises `Malformed`.

    `source` is where a header stands in the WSGI environment; `called` is its name among the components of
    the OpenAPI document, where another parameter has the same name.
    """

    name: str
    schema: Schema
    description: str
    read: Callable[[str, str], T]
    default: T
    required: bool = False
    called: str = ""
    source: str = ""

    @property
    def component(self) -> str:
        """Its name among the components of the document."""
        return self.called or self.name

    def described(self, where: str = "") -> Schema:
        """The parameter object of OpenAPI."""
        found = {
            "name": self.name,
            "in": where or ("header" if self.source else "query"),
            "schema": self.schema,
            "description": self.description,
        }
        return {**found, "required": True} if self.required else found


@dataclass(frozen=True, slots=True)
class Query:
    """What the query of a route may hold: parameters by name, those that must be there, and fields."""

    known: Mapping[str, Parameter[Any]]
    required: tuple[Parameter[Any], ...]
    #: Whether fields of the records are parameters as well, each with the values it is to have.
    filtered: bool = False


# --- readers -----------------------------------------------------------------------------------------


def _text(_name: str, text: str) -> str:
    return text


def _preferences(_name: str, text: str) -> frozenset[str]:
    return preferences(text)


#: Seconds that a request may wait, at most.
LONGEST_WAIT = 60
#: How far a follower has come: the sequence of an entry, and within the next one the id of a record.
#: A place of the feed, as the ids of its events have it.
PLACE_PATTERN = r"^[0-9]{1,18}(\.[0-9a-f-]{36})?$"
_PLACE = re.compile(PLACE_PATTERN, re.ASCII)


def whole(name: str, text: str) -> int:
    """A whole number. Raises `Malformed`."""
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Malformed(f"{name} is {text[:80]!r}. It must be a whole number.")
    return int(text)


def _seconds(name: str, text: str) -> int:
    seconds = whole(name, text)
    if seconds > LONGEST_WAIT:
        raise Malformed(f"{name} is {text[:80]}. It must be at most {LONGEST_WAIT} seconds; ask again after.")
    return seconds


def _feed_place(name: str, text: str) -> str:
    if not _PLACE.fullmatch(text):
        raise Malformed(f"{name} is {text[:80]!r}. It must be the id of an event, or what rel=next says.")
    return text


def _page_size(name: str, text: str) -> int:
    size = whole(name, text)
    if not 1 <= size <= LARGEST_PAGE:
        raise Malformed(f"{name} is {text[:80]}. It must be from 1 to {LARGEST_PAGE}.")
    return size


def flag(name: str, text: str) -> bool:
    """True or false. Raises `Malformed`."""
    if text not in ("true", "false"):
        raise Malformed(f"{name} is {text[:80]!r}. It must be true or false.")
    return text == "true"


def one_of(*choices: str) -> Callable[[str, str], Any]:
    """Reads one of a few words."""

    def read(name: str, text: str) -> str:
        if text not in choices:
            allowed = choices[0] if len(choices) == 1 else f"one of {', '.join(choices)}"
            raise Malformed(f"{name} is {text[:80]!r}. It must be {allowed}.")
        return text

    return read


def names(name: str, text: str) -> tuple[str, ...]:
    """Names by comma. Raises `Malformed`."""
    found = tuple(part.strip() for part in text.split(","))
    if not all(found):
        raise Malformed(f"{name} is {text[:80]!r}. It must be names by comma.")
    return found


def base(name: str, text: str) -> Base:
    """What the caller was looking at: a version, or better the entity tag. Raises `Malformed`."""
    if (tag := read_etag(text)) is not None:
        return Base(tag[1], tag[0])
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Malformed(f"{name} is {text[:80]!r}. It must be a version, or the ETag you were given.")
    return Base(int(text))


def moment(name: str, text: str) -> str:
    """A time, as records keep it; of a day its beginning, or for `to` its end. Raises `Malformed`."""
    try:
        found = datetime.fromisoformat(text)
        if len(text) == len("2031-04-09"):
            found = found.replace(tzinfo=UTC)
            if name == "to":
                found += timedelta(days=1, microseconds=-1)
        if found.tzinfo is None:
            raise ValueError
        return timestamp(found)
    except (ValueError, OverflowError):
        raise Malformed(
            f"{name} is {text[:80]!r}. It must be a time such as 2031-04-09T12:00:00Z, or a day."
        ) from None


def _match(name: str, text: str) -> Mapping[str, str | None]:
    try:
        found = read_json(text.encode())
    except Malformed:
        found = None
    if not isinstance(found, dict) or not all(one is None or isinstance(one, str) for one in found.values()):
        raise Malformed(
            f'{name} must be a JSON object of columns and fields, such as {{"Phone no.": "phone"}}.'
        )
    return found


# --- in the query ------------------------------------------------------------------------------------


def _texts(name: str, description: str, **more: Any) -> Parameter[str]:
    return Parameter(name, {**TEXT, **more}, description, _text, "")


def _maybe(name: str, description: str, schema: Schema = TEXT, called: str = "") -> Parameter[str | None]:
    return Parameter(name, schema, description, _text, None, called=called)


def _numbers(
    name: str, description: str, called: str = "", *, least: int | None = None, required: bool = False
) -> Parameter[int | None]:
    schema = NUMBER if least is None else {**NUMBER, "minimum": least}
    return Parameter(name, schema, description, whole, None, required, called)


def _flags(name: str, description: str, called: str = "", *, default: bool = False) -> Parameter[bool]:
    return Parameter(name, FLAG, description, flag, default, called=called)


def _times(name: str, description: str) -> Parameter[str | None]:
    return Parameter(name, TIME, description, moment, None)


_PAGE: Schema = {"type": "integer", "minimum": 1, "maximum": LARGEST_PAGE, "default": USUAL_PAGE}
_NAMES: Schema = {"type": "string", "minLength": 1}


def _enum(*choices: str, **more: Any) -> Schema:
    return {"type": "string", "enum": list(choices), **more}


#: What some tools add to every address, so that no cache answers; taken, and not looked at.
UNCACHED = "_"

WHERE = _texts("where", 'A condition over the fields, such as `status == "open" && pumps > 2`.', minLength=1)
Q = _texts("q", "Words that must all be found.", maxLength=200)
SORT = _texts("sort", "Fields by comma; a - before one sorts it descending.")
LIMIT = Parameter("limit", _PAGE, "How many to answer with at most.", _page_size, USUAL_PAGE)
CURSOR = _maybe("cursor", "The `next` of the page before.")
PAGE = _numbers("page", "In place of cursor: the page by its number, as far as record 10,000.", least=1)
COUNT = _flags("count", "Whether to count all that match.")
FIELDS = Parameter[tuple[str, ...]](
    "fields",
    _NAMES,
    "Fields by comma: records then hold these alone, and not all that is required.",
    names,
    (),
)
INCLUDE = Parameter[tuple[str, ...]](
    "include",
    _NAMES,
    "References by comma, such as `station.watercourse`, to answer with theirs.",
    names,
    (),
)
INCLUDE_BESIDE = Parameter[tuple[str, ...]](
    "include",
    _NAMES,
    "References by comma: the answer is then an object of `record` and `included`.",
    names,
    (),
    called="include_beside",
)
LABELS = _flags("labels", "Whether to tell what references and owners stand for.")
ROW_LABELS = _flags(
    "row_labels", "Whether each row tells the same beside the value: as station.label beside station."
)
WRITABLE = _flags("writable", "Whether to tell which fields of each record this caller may change.")
BLANK_FILTERS = Parameter[str](
    "blank_filters",
    _enum("keep", "ignore"),
    "ignore: a field that is filtered by a blank is not filtered by.",
    one_of("keep", "ignore"),
    "keep",
)
VERSION = _numbers("version", "As it was at this version.")
AT = _times("at", "As it was at this time.")
BELOW = _numbers("below", "Only what is below this; as `next` says.", least=0)

ABOVE = _numbers("above", "Answered once there are more entries than this.", least=0)
WAIT = Parameter[int | None](
    "wait",
    {"type": "integer", "minimum": 0, "maximum": LONGEST_WAIT},
    "Wait for that for so many seconds, at most.",
    _seconds,
    None,
)

BLANK = Parameter[Blank | None](
    "blank", _enum(*BLANKS), "What a blank means for every field.", one_of(*BLANKS), None
)
REASON_WHY = Parameter[str | None](
    "reason", REASON, "Why; kept in the history.", lambda _name, text: checked_reason(text), None
)
SEEN = Parameter[Base | None](
    "base", BASE, "The ETag or version you saw; 409 where others changed the same.", base, None
)
CLEAR = Parameter[tuple[str, ...]](
    "clear", TEXT, "Fields to empty, by comma, whatever a blank means there.", names, ()
)
OF_COLLECTION = Parameter[str | None](
    "collection", TEXT, "One collection alone.", _text, None, called="of_collection"
)
OPENAPI = Parameter[str](
    "openapi", _enum("3.0", "3.1"), "The version of OpenAPI.", one_of("3.0", "3.1"), "3.1"
)
FLAT = _flags("flat", "Whether what is referred to stands in the place of each reference.")
PREVIEW = _flags("preview", "Whether only to tell what it would do.")
PREVIEW_ONLY = _flags("preview", "Whether to save nothing, and answer as the preview does.", "preview_only")
LENIENT = _flags("lenient", "The same as Prefer: handling=lenient.")
RETURN = Parameter[str](
    "return",
    _enum("minimal", "representation"),
    "minimal is the same as Prefer: return=minimal.",
    one_of("minimal", "representation"),
    "representation",
)
COERCE = Parameter[str | None](
    "coerce",
    _enum("text"),
    "Texts in the body are read by their fields' types, as those of a form are.",
    one_of("text"),
    None,
)
EXPECT = _numbers("expect", "How many records there must be; refused where it is another.")
ALL_OR_NOTHING = _flags("atomic", "All or nothing, unless false: then each on its own.", default=True)
ACCOUNT = _maybe("account", "That of another account, for who manages accounts.")
PURPOSE = Parameter[str | None](
    "for", _enum("create"), "Ask for all a form to create needs.", one_of("create"), None
)

# Of files.
AS = Parameter[Form | None](
    "as", _enum(*MEDIA.values()), "What the file is; CSV if left out.", one_of(*MEDIA.values()), None
)
MODE = Parameter[Mode](
    "mode",
    _enum(*MODES, default="both"),
    "New records alone, those that are there, or both.",
    one_of(*MODES),
    "both",
)
BY = _maybe("by", "The unique field that says which record a row is of.", called="match_by")
PORTION = _maybe(
    "batch", "Of an earlier portion: both are one import.", {**TEXT, "format": "uuid"}, "portion"
)
MAP = Parameter[Mapping[str, str | None]](
    "map", {**TEXT, "minLength": 2}, "A JSON object: by column, the field it stands for, or null.", _match, {}
)
BLANK_CELLS = Parameter[Blank | None](
    "blank",
    _enum(*BLANKS),
    "What an empty cell means; keep if left out.",
    one_of(*BLANKS),
    None,
    called="blank_cells",
)
EACH = _flags("atomic", "All or nothing; otherwise each row is on its own.", "atomic_rows")

# Of the history.
EQUALS = tuple(_maybe(name, f"Only entries whose {name} is this.", called=f"entry_{name}") for name in EQUAL)
CHANGED_FIELD = _maybe("field", "Only entries that changed this field.")
REASON_HOLDS = _maybe("reason", "Only entries whose reason holds this.", called="reason_holds")
FROM = _times("from", "Not before this time.")
TO = _times("to", "Not after this time.")
AFTER_NOTICE = _numbers(
    "after", "In order, and only what is behind this; as `next` says.", "after_notice", least=0
)
DELIVERY_STATE = Parameter[DeliveryState | None](
    "state",
    _enum(*get_args(DeliveryState)),
    "Only those in this state.",
    one_of(*get_args(DeliveryState)),
    None,
    called="delivery_state",
)
FEED_AFTER = Parameter[str | None](
    "after",
    {**TEXT, "pattern": PLACE_PATTERN},
    "The id of the last event that one has; left out, the feed begins now.",
    _feed_place,
    None,
    called="feed_after",
)
FOLLOWED = _maybe("collection", "Only this collection.", called="followed")
EVENT_DATA = Parameter[str](
    "data",
    _enum("none", "changes", "record", default="none"),
    "What stands beside each event: nothing, the fields that changed, or the record as it is now.",
    one_of("none", "changes", "record"),
    "none",
    called="event_data",
)
FEED_WAIT = Parameter[int](
    "wait",
    {"type": "integer", "minimum": 0, "maximum": LONGEST_WAIT, "default": 0},
    "Where there is nothing yet, wait for so many seconds, at most.",
    _seconds,
    0,
    called="feed_wait",
)
AFTER = _numbers("after", "Of a file, only entries after this sequence.")
COUNTED_BY = Parameter[str](
    "by",
    _enum("collection", "actor", default="collection"),
    "What to count by.",
    one_of("collection", "actor"),
    "collection",
    called="count_by",
)
OF_COLLECTION = _maybe("collection", "Only of this collection.", called="of_collection")
OF_ACTOR = _maybe("actor", "Only entries by, or on behalf of, this account.", called="of_actor")
SIZE = _numbers("size", "The size of the head to prove it under.", least=1)
OLDER_SIZE = _numbers("from", "The size of the older head.", "older_size", least=1, required=True)
NEWER_SIZE = _numbers("to", "That of the newer one; the newest if left out.", "newer_size", least=1)
OLDER = _numbers("from", "The older version.", "older_version", least=1, required=True)
NEWER = _numbers("to", "The newer one; the newest if left out.", "newer_version", least=1)

PASSES_OF = Parameter[str](
    "collection", TEXT, "The collection whose passes.", _text, "", required=True, called="passes_of"
)
PASS_TEMPLATE = _maybe("template", "Only those of this template.", called="pass_template")
PASS_KEY = _maybe("key", "Only those for the record with this key.", called="pass_key")
PASS_RUN = _maybe("run", "Only those of this letter run.", called="pass_run")
PROPOSAL_STATE = Parameter[ProposalState | None](
    "state",
    _enum(*get_args(ProposalState)),
    "Only those in this state.",
    one_of(*get_args(ProposalState)),
    None,
    called="proposal_state",
)
PROPOSALS_OF = _maybe("collection", "Only those that came in by passes of this one.", called="proposals_of")
PROPOSAL_KEY = _maybe(
    "key", "Only those that came in by passes for the record with this key.", called="proposal_key"
)
OF_PASS = _numbers("pass", "Only those that came in by this pass.", "of_pass", least=1)
AFTER_PROPOSAL = _numbers(
    "after", "Only what comes behind this number; as `next` says.", "after_proposal", least=0
)
AFTER_REQUEST = _numbers("after", "Only those after this number.", "after_request", least=0)
NEWEST = _flags("newest", "Whether the last that came in stand first.")

# --- in headers --------------------------------------------------------------------------------------


def _headers(
    name: str, description: str, read: Callable[[str, str], T], default: T, **schema: Any
) -> Parameter[T]:
    source = f"HTTP_{name.upper().replace('-', '_')}"
    return Parameter(name, {**TEXT, **schema}, description, read, default, source=source)


IF_MATCH = _headers("If-Match", "Only if the record has this ETag (RFC 9110).", entity_tags, None)
IF_NONE_MATCH = _headers("If-None-Match", "Only if it has another (RFC 9110).", entity_tags, None)
ONCE = _headers(
    "Idempotency-Key",
    "Carried out once, however often it is sent.",
    _text,
    "",
    minLength=1,
    maxLength=LONGEST_KEY,
)
PREFER = _headers(
    "Prefer", "return=minimal, handling=lenient (RFC 7240), by comma.", _preferences, frozenset[str]()
)
LAST_EVENT: Parameter[str | None] = _headers(
    "Last-Event-ID",
    "Of a stream that is asked for again: the id of the last event that came. It counts more than after.",
    _feed_place,
    None,
    pattern=PLACE_PATTERN,
)
CLIENT = _headers("Fenland-Client", "A name the client keeps: its own changes are not others'.", _text, "")

#: What a change may prefer, by header or query.
PREFERENCES = (PREFER, LENIENT, RETURN)
#: What every change of one record takes.
CHANGING = (REASON_WHY, ONCE, CLIENT, *PREFERENCES)
#: What tells that the record is the one that was seen.
GUARDS = (IF_MATCH, IF_NONE_MATCH, SEEN)
