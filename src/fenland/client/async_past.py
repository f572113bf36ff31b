"""The past, for asyncio programs, whose calls are awaited: how records were, and the way back."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from fenland.client import past_calls as calls
from fenland.client.calls import Base, How, Seen
from fenland.client.records import Entry, Preview, Record

if TYPE_CHECKING:
    from fenland.client.async_client import AsyncClient


class AsyncPast:
    """What a client can ask of the past; see `past` of the client."""

    def __init__(self, client: AsyncClient) -> None:
        self._client = client

    def entries(
        self,
        *,
        where: str | None = None,
        collection: str | None = None,
        actor: str | None = None,
        action: str | None = None,
        field: str | None = None,
        reason: str | None = None,
        batch: str | None = None,
        request_id: str | None = None,
        since: str | None = None,
        until: str | None = None,
        limit: int | None = None,
    ) -> AsyncIterator[Entry]:
        """Entries of everything that may be seen, newest first, for which all of this holds.

        `where` is a condition such as `after.status == "closed" && "hours" in fields`; `reason` is part of
        one; times are as RFC 3339 writes them.
        """
        asked = calls.wanted(
            where,
            collection=collection,
            actor=actor,
            action=action,
            field=field,
            reason=reason,
            batch=batch,
            request_id=request_id,
            since=since,
            until=until,
        )
        return self._client._walk(calls.entries(asked, limit))

    async def entry(self, sequence: int) -> Entry:
        """One entry by its sequence."""
        return await self._client._run(calls.entry(sequence))

    async def read(
        self, collection: str, key: Any, *, version: int | None = None, at: str | None = None
    ) -> Record:
        """A record as it was at a version or a time, also one that is gone."""
        return await self._client._run(calls.read(collection, key, version, at))

    def records(self, collection: str, at: str, *, limit: int | None = None) -> AsyncIterator[Record]:
        """The records of a collection as they were at a time, in the order of their creation."""
        return self._client._walk(calls.records(collection, at, limit))

    async def difference(
        self, collection: str, key: Any, older: int, newer: int | None = None
    ) -> Mapping[str, Any]:
        """What differs between two versions of a record."""
        return await self._client._run(calls.difference(collection, key, older, newer))

    async def restore(
        self,
        collection: str,
        key: Any,
        *,
        version: int | None = None,
        at: str | None = None,
        seen: Seen = None,
        base: Base = None,
        reason: str | None = None,
    ) -> Record:
        """Brings a deleted record back, or a record to how it was at a version or a time."""
        how = How(seen=seen, base=base, reason=reason)
        when = {"version": version, "at": at}
        return await self._client._run(calls.restore(collection, key, when, how))

    async def preview_restoring(
        self, collection: str, key: Any, *, version: int | None = None, at: str | None = None
    ) -> Preview:
        """What `restore` would do; saves nothing."""
        when = {"version": version, "at": at}
        return await self._client._run(calls.preview_restoring(collection, key, when))

    async def undo(
        self,
        sequence: int,
        *,
        consequences: bool = True,
        preview: bool = False,
        reason: str | None = None,
    ) -> Mapping[str, Any]:
        """Takes back the save of one entry, with what followed from it.

        Without `consequences`, what rules did because of it stays.
        `done` of the answer says whether anything was kept; `items` what was done, or why it was refused.
        """
        how = How(reason=reason)
        return await self._client._run(
            calls.undo(sequence, {"consequences": consequences}, how, preview=preview)
        )

    async def undo_many(
        self,
        *,
        batch: str | None = None,
        actor: str | None = None,
        since: str | None = None,
        until: str | None = None,
        atomic: bool = True,
        consequences: bool = True,
        preview: bool = False,
        reason: str | None = None,
    ) -> Mapping[str, Any]:
        """Takes back all of a batch, or all that an account did in a while; otherwise as `undo`."""
        sent = {"batch": batch, "actor": actor, "from": since, "to": until, "atomic": atomic}
        sent["consequences"] = consequences
        return await self._client._run(calls.undo(None, sent, How(reason=reason), preview=preview))

    async def erase(
        self,
        collection: str,
        key: Any,
        fields: Sequence[str],
        reason: str,
        *,
        values: Mapping[str, Any] | None = None,
        seen: Seen = None,
    ) -> Record:
        """Erases what sensitive fields hold and ever held, for good. `values` are to stand there instead."""
        how = How(seen=seen, reason=reason)
        return await self._client._run(calls.erase(collection, key, fields, values, how))

    async def head(self, *, above: int | None = None, wait: int | None = None) -> Mapping[str, Any]:
        """The signed head of the history as it is now.

        With `above` and `wait`, once there are more entries than that, or the seconds (at most 60) are over.
        """
        return await self._client._run(calls.head(above, wait))

    async def keys(self) -> Mapping[str, Any]:
        """The public keys that sign heads, as a JWK set."""
        return await self._client._run(calls.keys())

    async def proof(self, sequence: int, *, size: int | None = None) -> Mapping[str, Any]:
        """What shows that an entry stands in the history under a head."""
        return await self._client._run(calls.proof(sequence, size))

    async def consistency(self, older: int, newer: int | None = None) -> Mapping[str, Any]:
        """What shows that the history begins with all of an older head."""
        return await self._client._run(calls.consistency(older, newer))

    async def evidence(self, collection: str, key: Any, size: int | None = None) -> Mapping[str, Any]:
        """All that shows what became of a record, to be checked without the service.

        With `size`, under the kept head of so many entries.
        """
        return await self._client._run(calls.evidence(collection, key, size))

    async def activity(
        self, *, by: str = "collection", since: str | None = None, until: str | None = None
    ) -> Mapping[str, Any]:
        """How many entries there were day by day, by collection or by actor."""
        return await self._client._run(calls.activity(by, since, until))

    def export(
        self,
        *,
        form: str = "jsonl",
        after: int = 0,
        where: str | None = None,
        collection: str | None = None,
        actor: str | None = None,
        since: str | None = None,
        until: str | None = None,
    ) -> AsyncIterator[bytes]:
        """The entries after a sequence as a file, oldest first, in pieces; `form` is jsonl or csv."""
        asked = calls.wanted(where, collection=collection, actor=actor, since=since, until=until)
        return self._client._stream(calls.exported(asked, form, after))
