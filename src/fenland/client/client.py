"""The blocking client."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from types import TracebackType
from typing import Any, TypeVar

import httpx

from fenland.client import flows
from fenland.client.flows import Flow, Request, Response, ask_json, path
from fenland.client.records import Entry, Form, Record, entry_from, form_from, record_from

Result = TypeVar("Result")

_JSON = "application/json"
_MERGE_PATCH = "application/merge-patch+json"

#: Records fetched at a time while walking a list.
_PAGE = 200


class Client:
    """A connection to one service as one account.

    Every method raises a `ClientError`: `UnreachableError` when no answer came, else the
    `ProblemError` of what the service said. Reads are tried again by themselves; a change is sent
    again only when the service said that it did nothing and asked for patience.
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
            {"Content-Type": _JSON},
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
        reason: str | None = None,
    ) -> Record:
        """Changes the given fields, no others, and returns the record as saved. None clears a field.

        `seen` is the record, or the entity tag, that the change was made from: when the record has
        changed since, nothing is saved and `VersionError` is raised. Without it the last write wins,
        field by field.
        """
        request = Request(
            "PATCH",
            _address(collection, key),
            {"reason": reason},
            {"Content-Type": _MERGE_PATCH, **_seen(seen)},
            flows.write_json(dict(fields)),
        )
        return record_from(self._run(ask_json(request)))

    def delete(
        self, collection: str, key: Any, *, seen: Record | str | None = None, reason: str | None = None
    ) -> Record:
        """Deletes a record and returns its last copy; `seen` as for `update`."""
        request = Request("DELETE", _address(collection, key), {"reason": reason}, _seen(seen))
        return record_from(self._run(ask_json(request)))


def _address(collection: str, key: Any, by: str | None = None) -> str:
    return path("records", collection, *(("by", by) if by else ()), key)


def _seen(seen: Record | str | None) -> dict[str, str]:
    if seen is None:
        return {}
    return {"If-Match": seen.etag if isinstance(seen, Record) else seen}
