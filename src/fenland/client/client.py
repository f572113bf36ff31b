"""The blocking client."""

from __future__ import annotations

import time
import uuid
from collections.abc import Iterator, Mapping, Sequence
from types import TracebackType
from typing import Any, TypeVar

import httpx

from fenland.client import flows
from fenland.client.flows import Flow, Request, Response, ask_batch, ask_json, path
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

Result = TypeVar("Result")

_JSON = "application/json"
_MERGE_PATCH = "application/merge-patch+json"
_EDITS = "application/vnd.fenland.edits+json"

#: Records fetched at a time while walking a list.
_PAGE = 200


class Client:
    """A connection to one service as one account.

    Every method raises a `ClientError`: `UnreachableError` when no answer came, else the
    `ProblemError` of what the service said. Reads and changes are tried again by themselves when no
    answer came: every change but a batch carries an idempotency key, so the service makes it once.
    """

    def __init__(
        self,
        address: str,
        token: str | None = None,
        *,
        via: str = "client",
        timeout: float = 30.0,
        transport: httpx.BaseTransport | None = None,
    ) -> None:
        headers = {"Fenland-Via": via, "Accept": _JSON}
        if token:
            headers["Authorization"] = f"Bearer {token}"
        self._http = httpx.Client(base_url=address, headers=headers, timeout=timeout, transport=transport)

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Closes the connections."""
        self._http.close()

    def _send(self, request: Request) -> Response:
        try:
            answer = self._http.request(
                request.method,
                request.path,
                params={name: value for name, value in request.query.items() if value is not None},
                headers=dict(request.headers),
                content=request.content,
            )
        except httpx.TransportError as error:
            return Response(0, reason=str(error) or type(error).__name__)
        return Response(answer.status_code, answer.headers, answer.content)

    def _run(self, flow: Flow[Result]) -> Result:
        return flows.run(flow, self._send, time.sleep)

    # --- reading ------------------------------------------------------------------------------

    def session(self) -> Mapping[str, Any]:
        """Who this client is signed in as: account, title and roles."""
        found: Mapping[str, Any] = self._run(ask_json(Request("GET", path("session"))))
        return found

    def schemas(self) -> list[Mapping[str, Any]]:
        """The collections there are."""
        found: list[Mapping[str, Any]] = self._run(ask_json(Request("GET", path("schemas"))))["items"]
        return found

    def schema(self, collection: str) -> Mapping[str, Any]:
        """The JSON Schema of a collection for this account."""
        found: Mapping[str, Any] = self._run(ask_json(Request("GET", path("schemas", collection))))
        return found

    def list(
        self, collection: str, *, q: str | None = None, sort: str | None = None, limit: int | None = None
    ) -> Iterator[Record]:
        """The records of a collection, one by one; pages are fetched as they are needed.

        `q` are words to find, `sort` is like `-due_on,number`, `limit` ends the walk.
        """
        left, cursor = limit, None
        while left is None or left > 0:
            size = _PAGE if left is None else min(left, _PAGE)
            query = {"q": q, "sort": sort, "limit": size, "cursor": cursor}
            page = self._run(ask_json(Request("GET", path("records", collection), query)))
            yield from map(record_from, page["items"])
            left = None if left is None else left - len(page["items"])
            cursor = page["next"]
            if cursor is None:
                return

    def get(self, collection: str, key: Any, *, by: str | None = None) -> Record:
        """A record by its key, or by the value of another unique field."""
        return record_from(self._run(ask_json(Request("GET", _address(collection, key, by)))))

    def form(self, collection: str, key: Any) -> Form:
        """All an edit form of this record needs."""
        return form_from(self._run(ask_json(Request("GET", path("records", collection, key, "form")))))

    def history(self, collection: str, key: Any, *, limit: int | None = None) -> Iterator[Entry]:
        """The record's changes, newest first; pages are fetched as they are needed."""
        left, below = limit, None
        while left is None or left > 0:
            size = _PAGE if left is None else min(left, _PAGE)
            query = {"limit": size, "below": below}
            page = self._run(ask_json(Request("GET", path("records", collection, key, "history"), query)))
            yield from map(entry_from, page["items"])
            left = None if left is None else left - len(page["items"])
            below = page["next"]
            if below is None:
                return

    # --- changing -----------------------------------------------------------------------------

    def create(self, collection: str, fields: Mapping[str, Any], *, reason: str | None = None) -> Record:
        """Creates a record and returns it as saved, defaults included."""
        request = Request(
            "POST",
            path("records", collection),
            {"reason": reason},
            {"Content-Type": _JSON, **_key()},
            flows.write_json(dict(fields)),
        )
        return record_from(self._run(ask_json(request)))

    def update(
        self,
        collection: str,
        key: Any,
        fields: Mapping[str, Any],
        *,
        seen: Record | str | None = None,
        base: Record | int | None = None,
        reason: str | None = None,
    ) -> Record:
        """Changes the given fields, no others, and returns the record as saved. None clears a field.

        `seen` is the record, or the entity tag, that the change was made from: when the record has
        changed since, nothing is saved and `VersionError` is raised. `base` is the record, or the
        version: changes of others to other fields are kept, and `ConflictError` tells of those to
        the same fields. With neither, the last write wins, field by field.
        """
        body = flows.write_json(dict(fields))
        return record_from(self._change(collection, key, _MERGE_PATCH, body, seen, base, reason))

    def edit(
        self,
        collection: str,
        key: Any,
        edits: Sequence[Mapping[str, Any]],
        *,
        seen: Record | str | None = None,
        reason: str | None = None,
    ) -> Record:
        """Makes edits at the service, such as `{"at": "/pumps", "increase_by": 1}`, all or none.

        They are made of the stored value, so none of many at once is lost. Raises `ConflictError` when
        an edit's `only_if` does not hold.
        """
        body = flows.write_json({"edits": [dict(one) for one in edits]})
        return record_from(self._change(collection, key, _EDITS, body, seen, None, reason))

    def preview(
        self, collection: str, key: Any, fields: Mapping[str, Any], *, base: Record | int | None = None
    ) -> Preview:
        """What `update` would do with these fields, and what is wrong with them; saves nothing."""
        body = flows.write_json(dict(fields))
        return preview_from(self._change(collection, key, _MERGE_PATCH, body, None, base, None, preview=True))

    def replace(
        self,
        collection: str,
        key: Any,
        fields: Mapping[str, Any],
        *,
        seen: Record | str | None = None,
        reason: str | None = None,
    ) -> Record:
        """Puts these fields in the place of all that can be set; what is left out gets its default."""
        headers = {"Content-Type": _JSON, **_seen(seen), **_key()}
        body = flows.write_json(dict(fields))
        request = Request("PUT", _address(collection, key), {"reason": reason}, headers, body)
        return record_from(self._run(ask_json(request)))

    def delete(
        self, collection: str, key: Any, *, seen: Record | str | None = None, reason: str | None = None
    ) -> Record:
        """Deletes a record and returns its last copy; `seen` as for `update`."""
        headers = {**_seen(seen), **_key()}
        request = Request("DELETE", _address(collection, key), {"reason": reason}, headers)
        return record_from(self._run(ask_json(request)))

    def batch(self, items: Sequence[Mapping[str, Any]], *, atomic: bool = True) -> tuple[BatchResult, ...]:
        """Does several things in one request: all or nothing, or with `atomic=False` each on its own.

        An item is like `{"action": "update", "collection": "tickets", "key": "T-1", "fields": {...}}`;
        docs/http.md lists what one may hold. The results come in the order of the items.
        """
        body = flows.write_json({"items": [dict(one) for one in items], "atomic": atomic})
        request = Request("POST", path("batch"), {}, {"Content-Type": _JSON}, body)
        return batch_from(self._run(ask_batch(request)))

    def _change(
        self,
        collection: str,
        key: Any,
        kind: str,
        body: bytes,
        seen: Record | str | None,
        base: Record | int | None,
        reason: str | None,
        *,
        preview: bool = False,
    ) -> Any:
        version = base.version if isinstance(base, Record) else base
        query = {"reason": reason, "base": version, "preview": "true" if preview else None}
        headers = {"Content-Type": kind, **_seen(seen), **_key()}
        return self._run(ask_json(Request("PATCH", _address(collection, key), query, headers, body)))


def _address(collection: str, key: Any, by: str | None = None) -> str:
    return path("records", collection, *(("by", by) if by else ()), key)


def _seen(seen: Record | str | None) -> dict[str, str]:
    if seen is None:
        return {}
    return {"If-Match": seen.etag if isinstance(seen, Record) else seen}


def _key() -> dict[str, str]:
    """An idempotency key: with it a change can be sent again when no answer came, and is made once."""
    return {"Idempotency-Key": uuid.uuid4().hex}
