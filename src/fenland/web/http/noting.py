"""What is told of a request to the account that made it: what was sent, what it meant, why it was refused.

Made for accounts that have the request inspector on, and for nobody else. No body is kept as it came: of what
was read in it, values of fields that the collection knows and that are not secret; of names that nobody knows
the name alone, since a value may well be that of a secret field, misspelt.
"""

from __future__ import annotations

import re
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import TYPE_CHECKING, Any, NamedTuple

import structlog
from werkzeug.exceptions import HTTPException

from fenland.core.changes.change import Change
from fenland.core.changes.edits import Edits
from fenland.core.changes.json_patch import JsonPatch
from fenland.core.changes.patches import MergePatch, Patch, Replacement
from fenland.core.definitions.model import Blank, Collection
from fenland.core.problems import Internal, Invalid, Problem, Refusal, pointer_to
from fenland.core.reserved import RESERVED
from fenland.core.values.identity import timestamp
from fenland.core.values.plain import MISSING, write_json
from fenland.service.changes.saved import Saved
from fenland.service.records.batch import Result
from fenland.service.records.update import Preview
from fenland.service.service import Resource, Service
from fenland.storage.door import NOTE_ROOM
from fenland.web.http.environ import ACCOUNT, LATER, STARTED, about
from fenland.web.http.parameters import BLANK, CURSOR, WHERE, Q

if TYPE_CHECKING:
    from fenland.web.http.calls import Call
    from fenland.web.http.route import Route

#: Headers that are told, by where they stand in the environment: those that say what a request means.
_HEADERS = {
    "CONTENT_TYPE": "Content-Type",
    "HTTP_ACCEPT": "Accept",
    "HTTP_FENLAND_CLIENT": "Fenland-Client",
    "HTTP_IDEMPOTENCY_KEY": "Idempotency-Key",
    "HTTP_IF_MATCH": "If-Match",
    "HTTP_IF_NONE_MATCH": "If-None-Match",
    "HTTP_PREFER": "Prefer",
    "HTTP_USER_AGENT": "User-Agent",
}
#: Rows of fields, and items of a batch, that are looked at.
_MOST_ROWS = 100
#: Problems that are told beside those of fields.
_MOST_ERRORS = 20
#: How many characters a value may have: all notes are to fit into their room, long ones more shortly.
_SHORTER = (400, 100, 24)
#: What is shorter stands in many a sentence.
_SHORT = 4
#: What stands where something is not told.
WITHHELD = "…"
_WORDS = re.compile(r"\w+")

Row = dict[str, Any]

log = structlog.get_logger()


class CameTo(NamedTuple):
    """What a change of a record came to; without a record, it was refused."""

    record: Mapping[str, Any] | None
    moved: frozenset[str] = frozenset()
    dropped: tuple[str, ...] = ()
    problems: tuple[Problem, ...] = ()
    repeated: bool = False


def came_to(found: Saved | Preview | None, refusal: Refusal | None) -> CameTo:
    """The same, of what a use case answered with, or how it refused."""
    if refusal is not None:
        return CameTo(None, problems=tuple(refusal.problems) if isinstance(refusal, Invalid) else ())
    if isinstance(found, Preview):
        return CameTo(found.record, frozenset(found.changes), found.dropped, found.problems)
    if found is None:
        return CameTo(None)
    return CameTo(found.record, _moved(found.changes, found.record), found.dropped, (), found.repeated)


def _moved(changes: Iterable[Change], record: Mapping[str, Any]) -> frozenset[str]:
    return frozenset(name for one in changes if one.record_id == record["id"] for name in one.fields)


def note(call: Call, route: Route, status: int, size: int | None, error: Exception | None) -> None:
    """Notes a request that was answered, where the account it is of has asked for that.

    What is wrong with the telling is logged: what was asked is done, and is not answered as failed.
    """
    try:
        _note(call, route, status, size, error)
    except Exception as wrong:
        log.error("a request could not be noted", exc_info=wrong, **about(call.environ))


def _note(call: Call, route: Route, status: int, size: int | None, error: Exception | None) -> None:
    inspection, caller = call.inspection, call.caller
    if inspection is None or (caller.via == "console" and not inspection.console) or LATER in call.environ:
        return
    now = call.service.clock()
    told = _Telling(call).told(route, status, error)
    took = round((time.perf_counter() - call.environ[STARTED]) * 1_000_000)
    whole = {"time": timestamp(now), "microseconds": took, "bytes": size, **told}
    call.service.database.inspector.note(call.environ[ACCOUNT], _fitted(whole), now.timestamp())


def status_of(error: Exception) -> int:
    """With what status an error is answered."""
    if isinstance(error, Refusal):
        return error.status
    return (error.code if isinstance(error, HTTPException) else None) or Internal.status


class _Telling:
    """The telling of one request."""

    def __init__(self, call: Call) -> None:
        self._call = call
        self._resource = call.service.resources.get(call.place.get("collection", ""))
        #: Values that may stand nowhere, as texts.
        self._secrets: set[str] = set()
        #: Whether something was asked by what is secret.
        self._by_secrets = False

    def told(self, route: Route, status: int, error: Exception | None) -> Row:
        call, environ = self._call, self._call.environ
        caller, refusal = call.caller, error if isinstance(error, Refusal) else None
        # What other bodies hold, such as passwords, is nobody's to tell again.
        told_of = self._resource is not None or route.operation == "batch"
        self._by_secrets |= route.body is not None and not told_of
        rows = self._rows(refusal)
        items = [*islice((self._item(*one) for one in call.items), _MOST_ROWS)]
        query = self._query()
        told: Row = {
            "method": environ["REQUEST_METHOD"],
            "path": self._path(),
            "operation": route.operation,
            "query": query,
            "headers": {name: environ[key][:200] for key, name in _HEADERS.items() if environ.get(key)},
            "via": caller.via,
            "on_behalf_of": None if caller.acting is None else caller.actor.name,
            "request_id": caller.request_id,
            "status": status,
            "problem": self._problem(error, rows, self._resource),
            "repeated": isinstance(call.found, Saved) and call.found.repeated,
            "fields": rows,
            "items": items,
            "counts": dict(call.counts),
        }
        return {name: value for name, value in told.items() if value not in (None, [], {}, False)}

    # --- what was asked ------------------------------------------------------------------------------

    def _path(self) -> str:
        path, place = self._call.request.path, self._call.place
        if self._resource is not None and place.get("field") in self._resource.collection.secret:
            self._secrets.add(place["value"])
            return path.removesuffix(place["value"]) + WITHHELD
        return path

    def _query(self) -> Row:
        call, resource = self._call, self._resource
        told: Row = {name: text[:400] for name, text in call.query.items()}
        secret = resource.collection.secret if resource is not None else frozenset()
        if WHERE.name in told and _names_secrets(told[WHERE.name], call.service):
            told[WHERE.name], self._by_secrets = WITHHELD, True
        if Q.name in told and any(not one.secret.isdisjoint(one.searched) for one in self._searched()):
            told[Q.name] = WITHHELD
        # It holds values of the last row.
        told.update({CURSOR.name: WITHHELD} if CURSOR.name in told else {})
        for name, values in call.equal.items():
            if name.partition(".")[0] in secret:
                self._secrets.update(values)
                told[name] = WITHHELD
            else:
                told[name] = ", ".join(values)[:400]
        return told

    def _searched(self) -> Iterator[Collection]:
        """The collections whose fields are searched: of what a field may hold, that which it refers to."""
        resource, resources = self._resource, self._call.service.resources
        if resource is not None:
            yield resource.collection
            item = resource.collection.fields.get(self._call.place.get("field", ""))
            if item is not None and item.references is not None:
                yield resources[item.references].collection

    # --- what it meant -------------------------------------------------------------------------------

    def _rows(self, refusal: Refusal | None) -> list[Row]:
        call = self._call
        if call.sent is None or self._resource is None:
            return []
        if call.counts:
            # One change for many records means something else for each.
            return [row for _, row in self._sent(self._resource, call.sent)]
        return self._meant(self._resource, call.sent, came_to(call.found, refusal), call.get(BLANK))

    def _item(self, sent: Any, result: Result) -> Row:
        item = sent if isinstance(sent, dict) else {}
        plain = {name: item.get(name) for name in ("action", "collection", "key", "by")}
        row: Row = {name: value for name, value in plain.items() if isinstance(value, (str, int))}
        resource = self._call.service.resources.get(str(row.get("collection")))
        rows: list[Row] = []
        fields = item.get("fields")
        if resource is not None and isinstance(fields, dict):
            rows = self._meant(resource, MergePatch(fields), came_to(result.saved, result.refusal), None)
        row |= {"status": 424} if result.refusal is None and result.saved is None else {}
        if result.refusal is not None:
            problem = self._problem(result.refusal, rows, resource)
            row |= {"status": result.refusal.status, "problem": problem}
        elif result.saved is not None:
            row |= {"status": 201 if result.created else 200}
        return {**row, "fields": rows} if rows else row

    def _meant(
        self, resource: Resource, sent: Patch | Replacement, found: CameTo, blank: Blank | None
    ) -> list[Row]:
        rows, named = list[Row](), set[str]()
        record, fields = found.record or {}, resource.collection.fields
        for name, row in self._sent(resource, sent):
            named.add(name)
            if not found.repeated:
                item = fields.get(name)
                meaning = blank or (item.blank if item is not None else "store")
                row |= _outcome(name, row, found, meaning, merged=isinstance(sent, MergePatch))
            problems = [one for one in found.problems if _is_about(one, name)]
            if problems:
                # What is said of a value may hold it.
                known = name not in resource.collection.secret and (
                    name in fields or problems[0].code == "unknown_field"
                )
                row |= {"code": problems[0].code, **({"detail": problems[0].detail} if known else {})}
            elif name in record and "now" not in row and row.get("outcome") == "set":
                row |= self._now(resource, record, name, row.get("sent", MISSING))
            rows.append(row)
        for row in rows:
            # By now all that is secret is known. That there is no such field holds no value.
            if "detail" in row and row["code"] != "unknown_field":
                row["detail"] = self._without_secrets(row["detail"])
        for name in sorted(found.moved - named):
            if name in record:
                rows.append({"field": name, "outcome": "followed", **self._now(resource, record, name)})
        return rows

    def _now(self, resource: Resource, record: Mapping[str, Any], name: str, sent: Any = MISSING) -> Row:
        secret = name in resource.collection.secret
        return {} if secret or record[name] == sent else {"now": record[name]}

    def _sent(self, resource: Resource, sent: Patch | Replacement) -> Iterator[tuple[str, Row]]:
        """Each field that was sent, or place within one that something was to be done at."""
        if isinstance(sent, Edits):
            self._by_secrets |= any(_names_secrets(one, self._call.service) for one in sent.asked)
        for number, (name, told, value, beside) in enumerate(_places(sent)):
            known = name in resource.collection.fields or name in RESERVED
            row: Row = {"field": name[:80], **told}
            if known and name not in resource.collection.secret:
                row |= {} if value is MISSING else {"sent": value}
            else:
                self._secrets.update(_texts([value, *beside]))
                row = {"field": name[:80], "withheld": True}
            if number < _MOST_ROWS:
                yield name, row

    # --- why it was refused --------------------------------------------------------------------------

    def _problem(self, error: Exception | None, rows: Iterable[Row], resource: Resource | None) -> Row | None:
        """The refusal, and what of it no row tells."""
        if error is None:
            return None
        if not isinstance(error, Refusal):
            return {"title": Internal.title if status_of(error) >= 500 else str(error)[:200]}
        told = {"/" + row["field"] for row in rows if "code" in row}
        rest = error.problems if isinstance(error, Invalid) else ()
        secret = resource.collection.secret if resource is not None else frozenset[str]()
        errors = [
            {"pointer": one.pointer[:200], "code": one.code, "detail": self._without_secrets(one.detail)}
            for one in islice(rest, _MOST_ERRORS)
            if one.pointer not in told and secret.isdisjoint(one.pointer.split("/"))
        ]
        found: Row = {"code": error.code, "title": error.title}
        if self._by_secrets:
            return found
        found["detail"] = self._without_secrets(error.detail)
        return {**found, "errors": errors} if errors else found

    def _without_secrets(self, text: str) -> str:
        if any(len(one) < _SHORT and one in text for one in self._secrets):
            # Left out letter by letter, they could be read from what is missing.
            return WITHHELD
        for one in sorted(self._secrets, key=len, reverse=True):
            text = text.replace(one, WITHHELD)
        return text


def _outcome(name: str, row: Row, found: CameTo, blank: Blank, *, merged: bool) -> Row:
    """What became of a field that was sent: one of the words that docs/http.md explains."""
    value = row.get("sent", MISSING)
    if any(_is_about(one, name) for one in found.problems):
        return {"outcome": "refused"}
    if found.record is None:
        return {"outcome": "not saved"}
    if name in found.dropped:
        return {"outcome": "ignored"}
    if name in found.moved:
        emptied = found.record.get(name, MISSING) is None
        return {"outcome": "cleared" if emptied else "set"}
    if blank == "keep" and (value == "" or (value is None and merged)):
        return {"outcome": "left"}
    return {"outcome": "same"}


def _is_about(problem: Problem, name: str) -> bool:
    pointer = pointer_to(name)
    return problem.pointer == pointer or problem.pointer.startswith(pointer + "/")


def _places(sent: Patch | Replacement) -> Iterator[tuple[str, Row, Any, Sequence[Any]]]:
    """Of what was sent: the field, what else is told of the place, the value, and what else there is."""
    if isinstance(sent, Edits):
        for edit in sent.edits:
            beside = [*edit.at[1:], *(value for _, value in edit.only_if)]
            yield edit.at[0], {"at": pointer_to(*edit.at), "edit": edit.verb}, edit.value, beside
    elif isinstance(sent, JsonPatch):
        for one in sent.operations:
            name, beside = one.path[0] if one.path else "", [*one.path[1:], *(one.source or ())[1:]]
            yield name, {"at": pointer_to(*one.path), "edit": one.op}, one.value, beside
    elif isinstance(sent, (MergePatch, Replacement)):
        for name, value in sent.fields.items():
            yield name, {}, value, ()


def _texts(value: Any) -> Iterator[str]:
    """The texts and numbers in a value, as a sentence may hold them."""
    if isinstance(value, dict):
        for one in value.values():
            yield from _texts(one)
    elif isinstance(value, list):
        for one in value:
            yield from _texts(one)
    elif value is not None and not isinstance(value, bool) and value is not MISSING and str(value):
        yield str(value)


def _names_secrets(text: str, service: Service) -> bool:
    """Whether an expression may ask for what is secret, in whichever collection it ends up."""
    words = set(_WORDS.findall(text))
    return any(not one.collection.secret.isdisjoint(words) for one in service.resources.values())


# --- fitting it into its room ----------------------------------------------------------------------------


def _fitted(told: Row) -> bytes:
    for most in _SHORTER:
        found = write_json(_shortened(told, most))
        if len(found) <= NOTE_ROOM:
            return found
    short = _shortened(told, _SHORTER[-1])
    for name in ("items", "fields"):
        while len(short.get(name, ())) > 1 and len(write_json(short)) > NOTE_ROOM:
            short[name], short["left_out"] = short[name][: len(short[name]) // 2], True
    found = write_json(short)
    if len(found) > NOTE_ROOM:
        found = write_json(
            {**{name: one for name, one in short.items() if name not in _LONG}, "left_out": True}
        )
    return found


_LONG = ("items", "fields", "headers", "query")


def _shortened(told: Any, most: int) -> Any:
    """The same with no text, and no value that was sent, of more characters than that."""
    if isinstance(told, dict):
        return {
            name: _value(one, most) if name in ("sent", "now") else _shortened(one, most)
            for name, one in told.items()
        }
    if isinstance(told, list):
        return [_shortened(one, most) for one in told]
    return _cut(told, most) if isinstance(told, str) else told


def _value(value: Any, most: int) -> Any:
    text = write_json(value).decode()
    return value if len(text) <= most else _cut(value if isinstance(value, str) else text, most)


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
