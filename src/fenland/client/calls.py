"""What can be asked of the service, each as a flow: both clients run the same ones.

A flow knows the requests and the answers of one call; `flows.py` says how it is driven.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Generic, TypeVar

from fenland.client.drafts import Draft
from fenland.client.flows import Flow, Request, ask_batch, ask_json, path, write_json
from fenland.client.records import (
    BatchResult,
    Entry,
    Form,
    Preview,
    Record,
    batch_from,
    entry_from,
    form_from,
    preview_from,
    record_from,
)

Item = TypeVar("Item")

JSON = "application/json"
_MERGE_PATCH = "application/merge-patch+json"
_EDITS = "application/vnd.fenland.edits+json"

#: Records fetched at a time while walking a list.
PAGE = 200

#: What a change was made from: the record, or its entity tag.
Seen = Record | str | None
#: The version a change was made from: the record, or the version.
Base = Record | int | None


def session() -> Flow[Mapping[str, Any]]:
    """Who is signed in."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("session")))
    return found


def schemas() -> Flow[list[Mapping[str, Any]]]:
    """The collections."""
    found: Mapping[str, Any] = yield from ask_json(Request("GET", path("schemas")))
    items: list[Mapping[str, Any]] = found["items"]
    return items


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

    def page(self) -> Flow[list[Item]]:
        """The next page's items."""
        size = PAGE if self._left is None else min(self._left, PAGE)
        answer = yield from ask_json(Request("GET", self._address, {**self._query, "limit": size}))
        items = [self._read(one) for one in answer["items"]]
        if self._left is not None:
            self._left -= len(items)
        self._query[self._onward] = answer["next"]
        self.done = answer["next"] is None or self._left == 0
        return items


def records(collection: str, q: str | None, sort: str | None, limit: int | None) -> Walk[Record]:
    """The records of a collection."""
    return Walk(path("records", collection), {"q": q, "sort": sort}, "cursor", record_from, limit)


def history(collection: str, key: Any, limit: int | None) -> Walk[Entry]:
    """The changes of a record, newest first."""
    return Walk(path("records", collection, key, "history"), {}, "below", entry_from, limit)


def create(collection: str, fields: Mapping[str, Any], reason: str | None) -> Flow[Record]:
    """Creates a record."""
    headers = {"Content-Type": JSON, **_key()}
    request = Request(
        "POST", path("records", collection), {"reason": reason}, headers, write_json(dict(fields))
    )
    return record_from((yield from ask_json(request)))


def update(
    collection: str, key: Any, fields: Mapping[str, Any], seen: Seen, base: Base, reason: str | None
) -> Flow[Record]:
    """Changes the given fields."""
    body = write_json(dict(fields))
    return record_from((yield from _change(collection, key, _MERGE_PATCH, body, seen, base, reason)))


def send_edits(
    collection: str, key: Any, edits: Sequence[Mapping[str, Any]], seen: Seen, reason: str | None
) -> Flow[Record]:
    """Makes edits at the service."""
    body = write_json({"edits": [dict(one) for one in edits]})
    return record_from((yield from _change(collection, key, _EDITS, body, seen, None, reason)))


def save(draft: Draft, reason: str | None) -> Flow[Record]:
    """Sends what was changed on a draft, and nothing when nothing was."""
    changes = draft.changes()
    if changes:
        draft.saved = yield from update(draft.collection, draft.key, changes, None, draft.record, reason)
    else:
        draft.saved = draft.record
    return draft.saved


def preview(
    collection: str, key: Any, change: Mapping[str, Any] | Sequence[Mapping[str, Any]], base: Base
) -> Flow[Preview]:
    """What an update, or edits, would do."""
    if isinstance(change, Mapping):
        kind, body = _MERGE_PATCH, write_json(dict(change))
    else:
        kind, body = _EDITS, write_json({"edits": [dict(one) for one in change]})
    found = yield from _change(collection, key, kind, body, None, base, None, preview=True)
    return preview_from(found)


def replace(
    collection: str, key: Any, fields: Mapping[str, Any], seen: Seen, reason: str | None
) -> Flow[Record]:
    """Replaces a record's fields."""
    headers = {"Content-Type": JSON, **_seen(seen), **_key()}
    request = Request("PUT", _address(collection, key), {"reason": reason}, headers, write_json(dict(fields)))
    return record_from((yield from ask_json(request)))


def delete(collection: str, key: Any, seen: Seen, reason: str | None) -> Flow[Record]:
    """Deletes a record."""
    request = Request("DELETE", _address(collection, key), {"reason": reason}, {**_seen(seen), **_key()})
    return record_from((yield from ask_json(request)))


def batch(items: Sequence[Mapping[str, Any]], atomic: bool) -> Flow[tuple[BatchResult, ...]]:
    """Does several things in one request."""
    body = write_json({"items": [dict(one) for one in items], "atomic": atomic})
    request = Request("POST", path("batch"), {}, {"Content-Type": JSON, **_key()}, body)
    return batch_from((yield from ask_batch(request)))


def _change(
    collection: str,
    key: Any,
    kind: str,
    body: bytes,
    seen: Seen,
    base: Base,
    reason: str | None,
    *,
    preview: bool = False,
) -> Flow[Any]:
    version = base.version if isinstance(base, Record) else base
    query = {"reason": reason, "base": version, "preview": "true" if preview else None}
    headers = {"Content-Type": kind, **_seen(seen), **_key()}
    return (yield from ask_json(Request("PATCH", _address(collection, key), query, headers, body)))


def _address(collection: str, key: Any, by: str | None = None) -> str:
    return path("records", collection, *(("by", by) if by else ()), key)


def _seen(seen: Seen) -> dict[str, str]:
    if seen is None:
        return {}
    return {"If-Match": seen.etag if isinstance(seen, Record) else seen}


def _key() -> dict[str, str]:
    """An idempotency key: with it a change can be sent again when no answer came, and is made once."""
    return {"Idempotency-Key": uuid.uuid4().hex}
