"""A call: one request of a route, read by the route's row; and the order of refusals.

All of a request is read at once, before anything is waited for. The first refusal to read it is kept, to be
raised where it belongs: 401, 404, 403, 412 or 428, 415, 400, 409, 422.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, TypeVar
from urllib.parse import parse_qsl, quote

from flask import Request

from fenland.core.access.policy import Caller
from fenland.core.changes.patches import Patch, Replacement
from fenland.core.limits import Limits
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed, NotFound, NotSignedIn, Refusal
from fenland.core.reserved import RESERVED
from fenland.service.changes.finding import UNCONDITIONAL, Address, Preconditions
from fenland.service.changes.saved import Saved
from fenland.service.history.past import NOW, When
from fenland.service.records.batch import Result as ItemResult
from fenland.service.records.filtering import ENDS, Filter
from fenland.service.records.once import Once
from fenland.service.records.update import Preview
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.storage.door import Inspection
from fenland.web.http.body import body_of
from fenland.web.http.caller import caller_of
from fenland.web.http.environ import ACCOUNT
from fenland.web.http.headers import ReadBody, once_of
from fenland.web.http.parameters import (
    AT,
    BLANK_FILTERS,
    IF_MATCH,
    IF_NONE_MATCH,
    LENIENT,
    PREFER,
    RETURN,
    UNCACHED,
    VERSION,
    WHERE,
    Parameter,
    Query,
)
from fenland.web.http.remembered import Remembered

Result = TypeVar("Result")
T = TypeVar("T")
#: Above what engines can count.
_BEYOND = 2**62


@dataclass(frozen=True, slots=True)
class Common:
    """What all calls have in common: the service, its settings, files that are being sent, the document."""

    service: Service
    settings: Settings
    #: Gives the OpenAPI document as JSON, which is made when it is first asked for: of one collection or all,
    #: in which version of OpenAPI, and whether without references.
    described: Callable[[str | None, str, bool], bytes]
    #: Lists that were answered.
    remembered: Remembered
    #: A mark for each file that is being sent now.
    sending: set[object] = field(default_factory=set)


class Call:
    """One request of a route: who asks, for what, and what the parameters of the row say."""

    __slots__ = (
        "_caller",
        "common",
        "counts",
        "environ",
        "equal",
        "found",
        "inspection",
        "items",
        "place",
        "query",
        "refusal",
        "request",
        "sent",
        "values",
    )

    def __init__(self, common: Common, request: Request, place: Mapping[str, Any]) -> None:
        self.common, self.request, self.place = common, request, place
        self.environ = request.environ
        self._caller: Caller | None = None
        self.refusal: Refusal | None = None
        #: The query as it was sent, and what its parameters say.
        self.query: dict[str, str] = {}
        self.values: dict[str, Any] = {}
        #: The fields that a list is filtered by, each with the values it is given.
        self.equal: dict[str, tuple[str, ...]] = {}
        #: How whoever asks has the request inspector on, and what views leave for it: what was to be
        #: changed, and what came of it; of a batch the items, each with its result; of many, how many.
        self.inspection: Inspection | None = None
        self.sent: Patch | Replacement | None = None
        self.found: Saved | Preview | None = None
        self.items: Sequence[tuple[Any, ItemResult]] = ()
        self.counts: Mapping[str, int] = {}

    @property
    def service(self) -> Service:
        """The open service."""
        return self.common.service

    @property
    def limits(self) -> Limits:
        """What is too much."""
        return self.common.service.limits

    # --- who asks, and for what --------------------------------------------------------------------

    @property
    def caller(self) -> Caller:
        """Who asks. Raises `NotSignedIn` where nobody was asked to sign in."""
        if self._caller is None:
            raise NotSignedIn("No token was sent. Send one as: Authorization: Bearer TOKEN.")
        return self._caller

    def sign_in(self) -> None:
        """Finds out who asks, once. Raises what `caller_of` raises."""
        service = self.service
        self._caller = caller_of(self.request, service)
        now = service.clock().timestamp()
        self.inspection = service.database.inspector.of(self.environ[ACCOUNT], now)

    @property
    def collection(self) -> str:
        """The collection in the address."""
        return str(self.place["collection"])

    @property
    def address(self) -> Address:
        """The record in the address."""
        place = self.place
        if "key" in place:
            return Address(place["collection"], place["key"])
        return Address(place["collection"], place["value"], place["field"])

    def number(self, place: str, what: str) -> int:
        """The number in an open place of the address. Raises `NotFound` for one that nothing can have."""
        found = int(self.place[place])
        if not 0 < found < _BEYOND:
            raise NotFound(f"There is no {what} {str(found)[:40]}.")
        return found

    @property
    def prefix(self) -> str:
        """The path under which clients reach the service, to begin every address with."""
        found: str = self.environ.get("SCRIPT_NAME", "")
        return found

    # --- the order of refusals ------------------------------------------------------------------------

    def read(self, part: Callable[[], Result], otherwise: Result) -> Result:
        """What was read, or, with its refusal kept, what to go on with."""
        try:
            return part()
        except Refusal as refusal:
            self.refusal = self.refusal or refusal
            return otherwise

    def check(self) -> None:
        """Raises the refusal that was kept, if there is one."""
        if self.refusal is not None:
            raise self.refusal

    # --- what it says ---------------------------------------------------------------------------------

    def get(self, parameter: Parameter[T]) -> T:
        """What a parameter of the query says, or means when it is left out."""
        found: T = self.values.get(parameter.name, parameter.default)
        return found

    def header(self, parameter: Parameter[T]) -> T:
        """The same of a header."""
        text = self.environ.get(parameter.source)
        if text is None:
            return parameter.default
        return self.read(lambda: parameter.read(parameter.name, text), parameter.default)

    def preconditions(self) -> Preconditions:
        """The preconditions a request states (RFC 9110 section 13.1). Weak tags never match here."""
        match, none_match = self.header(IF_MATCH), self.header(IF_NONE_MATCH)
        return UNCONDITIONAL if match is None and none_match is None else Preconditions(match, none_match)

    def once(self, read: ReadBody = body_of) -> Once | None:
        """The idempotency key, with a fingerprint of all that makes the request what it is."""
        if "HTTP_IDEMPOTENCY_KEY" not in self.environ:
            return None
        return self.read(lambda: once_of(self.request, self.limits, read), None)

    @property
    def lenient(self) -> bool:
        """Whether what the caller may not set is to be left out, and not refused."""
        return self.get(LENIENT) or "handling=lenient" in self.header(PREFER)

    @property
    def minimal(self) -> bool:
        """Whether the client can do without the record in the answer."""
        return self.get(RETURN) == "minimal" or "return=minimal" in self.header(PREFER)

    def when(self) -> When:
        """The moment of a record's past that is asked for."""
        return When(self.get(VERSION), self.get(AT)) if self.values else NOW

    def filter(self) -> Filter:
        """What records of a list must meet; with `blank_filters=ignore` not the fields given a blank."""
        equal = self.equal
        if self.get(BLANK_FILTERS) == "ignore":
            kept = {name: tuple(value for value in values if value) for name, values in equal.items()}
            equal = {name: values for name, values in kept.items() if values}
        return Filter(self.get(WHERE), equal)

    @property
    def outside(self) -> str:
        """Where others reach the service: what settings say of it, or else where whoever asks reached it."""
        said = self.service.outsiders.address.rstrip("/")
        return said or self.request.host_url.rstrip("/") + self.prefix

    def onward(self, **other: Any) -> dict[str, str]:
        """The headers that say where the next page is (RFC 8288): here, with these set, none where None."""
        pairs = [pair for pair in {**self.query, **other}.items() if pair[1] is not None]
        pairs += [(name, value) for name, values in self.equal.items() for value in values]
        query = "&".join(f"{name}={quote(str(value), safe='')}" for name, value in pairs)
        here = self.prefix + quote(self.request.path)
        return {"Link": f'<{here}?{query}>; rel="next"'}

    # --- reading --------------------------------------------------------------------------------------

    def read_query(self, taken: Query) -> None:
        """Reads the query by what the route takes; the first refusal is kept."""
        fields: Iterable[str] = ()
        if taken.filtered:
            found = self.service.resource(self.collection)
            fields = (*RESERVED, *found.collection.fields)
        if self.environ.get("QUERY_STRING") or taken.required:
            self.read(lambda: self._read_query(taken, fields), None)

    def _read_query(self, taken: Query, fields: Iterable[str]) -> None:
        known = taken.known
        names = {*fields}.difference(known)
        for name, text in _pairs(self.environ.get("QUERY_STRING", "")):
            row = known.get(name)
            if row is None:
                self._take_field(name, text, known, names, fields)
            elif name in self.query:
                raise Malformed(f"The query parameter {name!r} stands twice. Send it once.")
            else:
                self.query[name] = text
                self.values[name] = row.read(name, text)
        for row in taken.required:
            if row.name not in self.values:
                raise Malformed(f"{row.name} is missing. Send it: {row.description}")
        if "version" in self.values and "at" in self.values:
            raise Malformed("version and at name two moments. Send one of them.")

    def _take_field(
        self, name: str, text: str, known: Mapping[str, object], fields: set[str], ranged: Iterable[str]
    ) -> None:
        # What is called like a parameter of the list's own is meant by none with an end behind it.
        field, dot, end = name.partition(".")
        if name in fields or (dot and end in ENDS and field in ranged):
            self.equal[name] = (*self.equal.get(name, ()), text)
        elif name != UNCACHED:
            hint = did_you_mean(name, [*known, *sorted(fields)])
            raise Malformed(f"There is no query parameter {name!r} here. {hint}")


def _pairs(query: str) -> list[tuple[str, str]]:
    try:
        return parse_qsl(query.encode("latin-1").decode(), keep_blank_values=True, errors="strict")
    except UnicodeError:
        raise Malformed("The query is not UTF-8. Percent-encode the bytes of UTF-8.") from None


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


def ahead(
    read: Callable[[], Result], instead: Result, check: Callable[[], None] = lambda: None
) -> tuple[Result, Callable[[], None]]:
    """What is read at once, with what raises why it could not be, in its place among the refusals.

    `instead` stands for what could not be read; `check` raises what else there is to refuse.
    """
    try:
        return read(), check
    except Refusal as refusal:
        kept = refusal

    def refuse() -> None:
        raise kept

    return instead, refuse
