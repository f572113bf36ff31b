"""What can be asked of the service, each as a flow: both clients run the same ones.

A flow knows the requests and the answers of one call; `flows.py` says how it is driven.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from dataclasses import replace as replace_in
from typing import Any, Generic, TypeVar
from urllib.parse import parse_qs

from fenland.client.body import read_json, write_json
from fenland.client.drafts import Draft
from fenland.client.flows import (
    Flow,
    Pause,
    Request,
    ask,
    ask_batch,
    ask_import,
    ask_json,
    ask_many,
    ask_saved,
    path,
)
from fenland.client.records import (
    BatchResult,
    Entry,
    Form,
    Preview,
    Record,
    View,
    batch_from,
    entry_from,
    form_from,
    preview_from,
    record_from,
    view_from,
)

Item = TypeVar("Item")

JSON = "application/json"
_MERGE_PATCH = "application/merge-patch+json"
_EDITS = "application/vnd.fenland.edits+json"

#: Records fetched at a time while walking a list.
PAGE = 200

#: What a change was made from: the record, or its entity tag.
Seen = Record | str | None
#: What a change was made from: the record, its entity tag, or its version.
Base = Record | str | int | None


@dataclass(frozen=True, slots=True)
class How:
    """How a change is to be made; every change takes some of these, as arguments of the same names."""

    by: str | None = None
    seen: Seen = None
    base: Base = None
    clear: Sequence[str] = ()
    reason: str | None = None
    idempotency_key: str | None = None

    def query(self) -> dict[str, Any]:
        """The parameters of the request."""
        base = self.base.etag if isinstance(self.base, Record) else self.base
        return {"reason": self.reason, "base": base, "clear": ",".join(self.clear) or None}

    def headers(self) -> dict[str, str]:
        """The headers of the request. A change always has an idempotency key: it can then be sent again when
        no answer came, and is made once.
        """
        headers = {"Idempotency-Key": self.idempotency_key or uuid.uuid4().hex}
        if self.seen is not None:
            headers["If-Match"] = self.seen.etag if isinstance(self.seen, Record) else self.seen
        return headers


def session() -> Flow[Mapping[str, Any]]:
    """Who is signed in."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("session")))
    return found


def schemas() -> Flow[list[Mapping[str, Any]]]:
    """The collections."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("schemas")))
    items: list[Mapping[str, Any]] = found["items"]
    return items


def calls(collection: str) -> Flow[list[Mapping[str, Any]]]:
    """Calls to copy into other tools."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("schemas", collection, "calls")))
    items: list[Mapping[str, Any]] = found["items"]
    return items


def mistakes() -> Flow[str]:
    """What is wrong with the definitions as they are saved now."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("definitions", "mistakes")))
    return str(found["told"])


def views(collection: str) -> Flow[list[View]]:
    """How the lists of a collection are shown."""
    found: list[View] = []
    for one in (yield from schemas()):
        if one["views"] and one["may"]["read"]:
            walk = Walk(
                path("records", one["name"]),
                {"collection": collection, "sort": "title"},
                "cursor",
                view_from,
                None,
            )
            while not walk.done:
                found += yield from walk.page()
    return found


def schema(collection: str) -> Flow[Mapping[str, Any]]:
    """The JSON Schema of a collection."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("schemas", collection)))
    return found


def get(collection: str, key: Any, by: str | None = None) -> Flow[Record]:
    """One record."""
    return record_from((yield from ask_json(Request("GET", _address(collection, key, by)))))


def form(collection: str, key: Any) -> Flow[Form]:
    """All an edit form needs."""
    return form_from((yield from ask_json(Request("GET", path("records", collection, key, "form")))))


class Walk(Generic[Item]):
    """A walk through pages: `page` is the flow of the next one, until `done`."""

    def __init__(
        self,
        address: str,
        query: Mapping[str, Any],
        onward: str,
        read: Callable[[Mapping[str, Any]], Item],
        limit: int | None,
    ) -> None:
        self._address, self._query, self._onward, self._read = address, dict(query), onward, read
        self._left = limit
        self.done = limit is not None and limit <= 0

    def _items(self, answer: Mapping[str, Any]) -> list[Item]:
        return [self._read(one) for one in answer["items"]]

    def page(self) -> Flow[list[Item]]:
        """The next page's items."""
        size = PAGE if self._left is None else min(self._left, PAGE)
        answer = yield from ask_json(Request("GET", self._address, {**self._query, "limit": size}))
        items = self._items(answer)
        if self._left is not None:
            self._left -= len(items)
        self._query[self._onward] = answer["next"]
        self.done = answer["next"] is None or self._left == 0
        return items


@dataclass(frozen=True, slots=True)
class Which:
    """Which records of a collection are wanted, and in which order."""

    where: str | None = None
    q: str | None = None
    sort: str | None = None
    equal: Mapping[str, Any] = field(default_factory=dict)

    def query(self) -> dict[str, Any]:
        """The parameters of the request. Raises `ValueError` for a field that a parameter is called like."""
        taken = [name for name in self.equal if name in _PARAMETERS]
        if taken:
            raise ValueError(f"{taken[0]} cannot be given as a value to equal. Use where.")
        values = {name: _texts(value) for name, value in self.equal.items()}
        return {"where": self.where, "q": self.q, "sort": self.sort, **values}


#: What lists take besides the names of fields.
_PARAMETERS = (
    "where",
    "q",
    "sort",
    "fields",
    "include",
    "limit",
    "cursor",
    "count",
    "labels",
    "writable",
    "page",
)


def _texts(value: Any) -> list[str]:
    """The values that a field may have, as a query has them."""
    several = value if isinstance(value, (list, tuple, set, frozenset)) else [value]
    return [str(one).lower() if isinstance(one, bool) else str(one) for one in several]


#: Records by collection and by the text of their key.
Related = Mapping[str, Mapping[str, Record]]


class _Expanding(Walk[tuple[Record, Related]]):
    """A walk through records and what they refer to."""

    def _items(self, answer: Mapping[str, Any]) -> list[tuple[Record, Related]]:
        related = {
            name: {key: record_from(one) for key, one in by_key.items()}
            for name, by_key in answer["included"].items()
        }
        return [(record_from(one), related) for one in answer["items"]]


def included(collection: str, which: Which, include: Sequence[str], limit: int | None) -> _Expanding:
    """The records of a collection, each with what those of its page refer to."""
    query = {**which.query(), "include": ",".join(include)}
    return _Expanding(path("records", collection), query, "cursor", lambda one: one, limit)  # type: ignore[arg-type, return-value]


def records(collection: str, which: Which, limit: int | None) -> Walk[Record]:
    """The records of a collection."""
    return Walk(path("records", collection), which.query(), "cursor", record_from, limit)


def values(
    collection: str, which: Which, fields: Sequence[str], limit: int | None
) -> Walk[Mapping[str, Any]]:
    """Some fields of the records of a collection."""
    query = {**which.query(), "fields": ",".join(fields)}
    return Walk(path("records", collection), query, "cursor", lambda one: one, limit)


def count(collection: str, which: Which) -> Flow[int]:
    """How many records there are."""
    query = {**which.query(), "limit": 1, "count": "true"}
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("records", collection), query))
    return int(found["count"])


def access(collection: str, key: Any, account: str | None) -> Flow[Mapping[str, Any]]:
    """What may be done with a record, and why."""
    request = Request("GET", path("records", collection, key, "access"), {"account": account})
    found: Mapping[str, Any] = yield from ask_json(request)
    return found


def presence(collection: str, key: Any, window: str, doing: str) -> Flow[list[Mapping[str, Any]]]:
    """Who else has a record open now."""
    address = path("records", collection, key, "presence")
    members = {"window": window, "doing": doing}
    found: Mapping[str, Any] = yield from ask_json(json_request("POST", address, members))
    items: list[Mapping[str, Any]] = found["items"]
    return items


def inspect_requests(minutes: int, console: bool) -> Flow[Mapping[str, Any]]:
    """Has the own requests noted for a while."""
    members = {"minutes": minutes, "console": console}
    found: Mapping[str, Any] = yield from ask_json(json_request("PUT", path("requests"), members))
    return found


def requests(after: int, limit: int) -> Flow[Mapping[str, Any]]:
    """The own last requests."""
    asked = Request("GET", path("requests"), {"after": str(after), "limit": str(limit)})
    found: Mapping[str, Any] = yield from ask_json(asked)
    return found


def request(number: int) -> Flow[Mapping[str, Any]]:
    """One of them."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("requests", number)))
    return found


def forget_requests() -> Flow[None]:
    """Has none noted any more, and those that were forgotten."""
    yield from ask(Request("DELETE", path("requests")))


def rules(collection: str) -> Flow[Mapping[str, Any]]:
    """Who may do what with records, by role."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("schemas", collection, "access")))
    return found


def consequences(collection: str) -> Flow[Mapping[str, Any]]:
    """What follows from changes of records, and in their fields."""
    address = path("schemas", collection, "consequences")
    found: Mapping[str, Any] = yield from ask_json(Request("GET", address))
    return found


def notices(after: int | None, limit: int | None) -> Walk[Mapping[str, Any]]:
    """Notices that rules left for other systems."""
    onward = "below" if after is None else "after"
    return Walk(path("notices"), {"after": after}, onward, lambda one: one, limit)


@dataclass(frozen=True, slots=True)
class Followed:
    """What of the feed is wanted; see `AsyncClient.changes`."""

    collection: str | None = None
    where: str | None = None
    data: str = "none"
    wait: int = 0

    def query(self) -> dict[str, Any]:
        """As the query of a request has it."""
        found = {"collection": self.collection, "where": self.where, "data": self.data, "wait": self.wait}
        return {name: value for name, value in found.items() if value}


def changes(after: str | None, followed: Followed) -> Flow[tuple[list[Mapping[str, Any]], str]]:
    """The next events of the feed, and where to go on from."""
    query = followed.query() | ({} if after is None else {"after": after})
    response = yield from ask(Request("GET", path("changes"), query))
    onward = parse_qs(response.headers["link"].partition("?")[2].partition(">")[0])
    return read_json(response.content), onward["after"][0]


#: Statuses of a service that will answer later.
PASSING = frozenset({429, 502, 503, 504})


def pause(seconds: float) -> Flow[None]:
    """Waits."""
    yield Pause(seconds)


def choices(collection: str, field_name: str, q: str | None, limit: int | None) -> Walk[Mapping[str, Any]]:
    """What a field may hold."""
    address = path("schemas", collection, "choices", field_name)
    return Walk(address, {"q": q}, "cursor", lambda one: one, limit)


def many_asked(expect: int | None, atomic: bool, preview: bool) -> Mapping[str, Any]:
    """What is asked of a change by filter, as a query has it."""
    texts = {True: "true", False: "false"}
    return {"expect": expect, "atomic": texts[atomic], "preview": texts[preview]}


def change_many(
    collection: str,
    which: Which,
    change: Mapping[str, Any] | Sequence[Mapping[str, Any]] | None,
    how: How,
    asked: Mapping[str, Any],
) -> Flow[Mapping[str, Any]]:
    """Changes the records that a filter chooses, or deletes them where no change is given."""
    headers, content, method = how.headers(), None, "DELETE"
    if change is not None:
        method = "PATCH"
        merging = isinstance(change, Mapping)
        headers["Content-Type"] = _MERGE_PATCH if merging else _EDITS
        content = write_json(change if merging else {"edits": list(change)})
    query = {**which.query(), **how.query(), **asked}
    del query["q"], query["sort"], query["base"]
    request = Request(method, path("records", collection), query, headers, content)
    found: Mapping[str, Any] = yield from ask_many(request)
    return found


#: The media types of files, by what they are.
MEDIA: Mapping[str, str] = {
    "csv": "text/csv",
    "jsonl": "application/jsonl",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


def import_rows(
    collection: str, content: bytes, form: str, asked: Mapping[str, Any], how: How
) -> Flow[Mapping[str, Any]]:
    """Brings in the rows of a file. Raises `ValueError` for a form that there is not."""
    headers = {**how.headers(), "Content-Type": _media(form)}
    query = {**asked, "reason": how.reason}
    request = Request("POST", path("records", collection, "import"), query, headers, content)
    found: Mapping[str, Any] = yield from ask_import(request)
    return found


def import_asked(
    mode: str, by: str | None, match: Mapping[str, str | None] | None, blank: str | None, **flags: bool
) -> dict[str, Any]:
    """How rows are to be brought in, as the request says it."""
    return {
        "mode": mode,
        "by": by,
        "map": write_json(match).decode() if match else None,
        "blank": blank,
        **{name: "true" for name, asked in flags.items() if asked},
    }


def _media(form: str) -> str:
    if form not in MEDIA:
        raise ValueError(f"There are no files of form {form!r}. Use one of {', '.join(MEDIA)}.")
    return MEDIA[form]


def exported(collection: str, which: Which, form: str, fields: Sequence[str]) -> Request:
    """The request for a list as a file. Raises `ValueError` for a form that there is not."""
    query = {**which.query(), "fields": ",".join(fields) or None}
    return Request("GET", path("records", collection), query, {"Accept": _media(form)})


def put(collection: str, value: Any, fields: Mapping[str, Any], how: How, *, only_new: bool) -> Flow[Record]:
    """Creates or replaces the record whose unique field holds a value."""
    headers = {"Content-Type": JSON, **how.headers()}
    if only_new:
        headers["If-None-Match"] = "*"
    address = path("records", collection, "by", how.by, value)
    request = Request("PUT", address, how.query(), headers, write_json(fields))
    return (yield from ask_saved(request))


def accounts() -> Flow[list[Mapping[str, Any]]]:
    """All accounts."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("accounts")))
    items: list[Mapping[str, Any]] = found["items"]
    return items


def add_account(name: str, members: Mapping[str, Any]) -> Flow[Mapping[str, Any]]:
    """Adds an account."""
    found: Mapping[str, Any] = yield from ask_json(
        json_request("POST", path("accounts"), {"name": name, **members})
    )
    return found


def change_account(name: str, members: Mapping[str, Any]) -> Flow[Mapping[str, Any]]:
    """Changes an account."""
    found: Mapping[str, Any] = yield from ask_json(json_request("PATCH", path("accounts", name), members))
    return found


def tokens(account: str | None) -> Flow[list[Mapping[str, Any]]]:
    """The tokens and sessions of an account."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("tokens"), {"account": account}))
    items: list[Mapping[str, Any]] = found["items"]
    return items


def issue_token(members: Mapping[str, Any]) -> Flow[Mapping[str, Any]]:
    """Makes a token for the own account."""
    found: Mapping[str, Any] = yield from ask_json(json_request("POST", path("tokens"), members))
    return found


def revoke_token(token_id: str, account: str | None) -> Flow[None]:
    """Revokes a token."""
    yield from ask(Request("DELETE", path("tokens", token_id), {"account": account}))


def json_request(method: str, address: str, members: Mapping[str, Any]) -> Request:
    """A request whose body is a JSON object."""
    return Request(method, address, {}, {"Content-Type": JSON}, write_json(members))


def history(collection: str, key: Any, wanted: Mapping[str, Any], limit: int | None) -> Walk[Entry]:
    """The changes of a record, newest first."""
    return Walk(path("records", collection, key, "history"), wanted, "below", entry_from, limit)


def create(collection: str, fields: Mapping[str, Any], how: How) -> Flow[Record]:
    """Creates a record."""
    headers = {"Content-Type": JSON, **how.headers()}
    request = Request("POST", path("records", collection), how.query(), headers, write_json(fields))
    return (yield from ask_saved(request))


def update(collection: str, key: Any, fields: Mapping[str, Any], how: How) -> Flow[Record]:
    """Changes the given fields."""
    change = _change(collection, key, fields, how)
    return (yield from ask_saved(change))


def send_edits(collection: str, key: Any, edits: Sequence[Mapping[str, Any]], how: How) -> Flow[Record]:
    """Makes edits at the service."""
    return (yield from ask_saved(_change(collection, key, edits, how)))


def save(draft: Draft, reason: str | None) -> Flow[Record]:
    """Sends what was changed on a draft, and nothing when nothing was."""
    changes, cleared = draft.changes(), draft.cleared()
    if changes or cleared:
        how = How(by=draft.by, base=draft.record, clear=cleared, reason=reason)
        draft.saved = yield from update(draft.collection, draft.key, changes, how)
    else:
        draft.saved = draft.record
    return draft.saved


def preview(
    collection: str, key: Any, change: Mapping[str, Any] | Sequence[Mapping[str, Any]], how: How
) -> Flow[Preview]:
    """What an update, or edits, would do."""
    request = _change(collection, key, change, how)
    query = {**request.query, "preview": "true"}
    return preview_from((yield from ask_json(replace_in(request, query=query))))


def replace(collection: str, key: Any, fields: Mapping[str, Any], how: How) -> Flow[Record]:
    """Replaces a record's fields."""
    headers = {"Content-Type": JSON, **how.headers()}
    request = Request("PUT", _address(collection, key, how.by), how.query(), headers, write_json(fields))
    return (yield from ask_saved(request))


def delete(collection: str, key: Any, how: How) -> Flow[Record]:
    """Deletes a record."""
    request = Request("DELETE", _address(collection, key, how.by), how.query(), how.headers())
    return (yield from ask_saved(request))


def batch(
    items: Sequence[Mapping[str, Any]], atomic: bool, how: How, preview: bool = False
) -> Flow[tuple[BatchResult, ...]]:
    """Does several things in one request."""
    body = write_json({"items": list(items), "atomic": atomic})
    query = {"preview": "true"} if preview else {}
    request = Request("POST", path("batch"), query, {"Content-Type": JSON, **how.headers()}, body)
    return batch_from((yield from ask_batch(request)))


def _change(
    collection: str, key: Any, change: Mapping[str, Any] | Sequence[Mapping[str, Any]], how: How
) -> Request:
    """The request for fields to change, or for edits."""
    if isinstance(change, Mapping):
        kind, body = _MERGE_PATCH, write_json(change)
    else:
        kind, body = _EDITS, write_json({"edits": list(change)})
    headers = {"Content-Type": kind, **how.headers()}
    return Request("PATCH", _address(collection, key, how.by), how.query(), headers, body)


def _address(collection: str, key: Any, by: str | None = None) -> str:
    return path("records", collection, *(("by", by) if by else ()), key)
