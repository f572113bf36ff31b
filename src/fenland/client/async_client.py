"""The client for asyncio programs: the same calls as `Client`, awaited."""

from __future__ import annotations

import asyncio
import builtins
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping, Sequence
from contextlib import asynccontextmanager
from types import TracebackType
from typing import Any, TypeVar

import httpx

from fenland.client import calls, flows
from fenland.client.calls import Base, How, Related, Seen, Walk, Which, import_asked, many_asked
from fenland.client.drafts import Draft
from fenland.client.errors import ConflictError, UnreachableError
from fenland.client.flows import Flow, Request, Response, checked, headers_for, request_for
from fenland.client.past import AsyncPast
from fenland.client.records import BatchResult, Entry, Form, Preview, Record

Result = TypeVar("Result")
Item = TypeVar("Item")


class AsyncClient:
    """`Client` for asyncio: every method does what the one of that name does there, and is awaited."""

    def __init__(
        self,
        address: str,
        token: str | None = None,
        *,
        via: str = "client",
        name: str | None = None,
        on_behalf_of: str | None = None,
        timeout: float = 30.0,
        transport: httpx.AsyncBaseTransport | None = None,
    ) -> None:
        headers = headers_for(token, via, name, on_behalf_of)
        self._http = httpx.AsyncClient(
            base_url=address, headers=headers, timeout=timeout, transport=transport
        )
        self._timeout = timeout
        #: How records were, the way back, and what proves the history.
        self.past = AsyncPast(self)

    async def __aenter__(self) -> AsyncClient:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def close(self) -> None:
        """Closes the connections."""
        await self._http.aclose()

    async def _send(self, request: Request) -> Response:
        try:
            answer = await self._http.request(**request_for(request))
        except httpx.TransportError as error:
            taken, reason = isinstance(error, httpx.ReadTimeout), str(error) or type(error).__name__
            return Response(0, reason=reason, taken=taken, patience=self._timeout)
        return Response(answer.status_code, answer.headers, answer.content, patience=self._timeout)

    async def _run(self, flow: Flow[Result]) -> Result:
        return await flows.run_async(flow, self._send, asyncio.sleep)

    async def _walk(self, walk: Walk[Item]) -> AsyncIterator[Item]:
        while not walk.done:
            for item in await self._run(walk.page()):
                yield item

    # --- reading ------------------------------------------------------------------------------

    async def session(self) -> Mapping[str, Any]:
        """See `Client.session`."""
        return await self._run(calls.session())

    async def schemas(self) -> list[Mapping[str, Any]]:
        """See `Client.schemas`."""
        return await self._run(calls.schemas())

    async def schema(self, collection: str) -> Mapping[str, Any]:
        """See `Client.schema`."""
        return await self._run(calls.schema(collection))

    def list(
        self,
        collection: str,
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        q: str | None = None,
        sort: str | None = None,
        limit: int | None = None,
    ) -> AsyncIterator[Record]:
        """See `Client.list`."""
        return self._walk(calls.records(collection, Which(where, q, sort, equal or {}), limit))

    def included(
        self,
        collection: str,
        include: Sequence[str],
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        q: str | None = None,
        sort: str | None = None,
        limit: int | None = None,
    ) -> AsyncIterator[tuple[Record, Related]]:
        """See `Client.included`."""
        return self._walk(calls.included(collection, Which(where, q, sort, equal or {}), include, limit))

    def values(
        self,
        collection: str,
        fields: Sequence[str],
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        q: str | None = None,
        sort: str | None = None,
        limit: int | None = None,
    ) -> AsyncIterator[Mapping[str, Any]]:
        """See `Client.values`."""
        return self._walk(calls.values(collection, Which(where, q, sort, equal or {}), fields, limit))

    async def count(
        self,
        collection: str,
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        q: str | None = None,
    ) -> int:
        """See `Client.count`."""
        return await self._run(calls.count(collection, Which(where, q, None, equal or {})))

    async def get(self, collection: str, key: Any, *, by: str | None = None) -> Record:
        """See `Client.get`."""
        return await self._run(calls.get(collection, key, by))

    async def form(self, collection: str, key: Any) -> Form:
        """See `Client.form`."""
        return await self._run(calls.form(collection, key))

    def history(
        self,
        collection: str,
        key: Any,
        *,
        field: str | None = None,
        actor: str | None = None,
        limit: int | None = None,
    ) -> AsyncIterator[Entry]:
        """See `Client.history`."""
        return self._walk(calls.history(collection, key, {"field": field, "actor": actor}, limit))

    # --- changing -----------------------------------------------------------------------------

    async def create(
        self,
        collection: str,
        fields: Mapping[str, Any],
        *,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Record:
        """See `Client.create`."""
        return await self._run(
            calls.create(collection, fields, How(reason=reason, idempotency_key=idempotency_key))
        )

    async def update(
        self,
        collection: str,
        key: Any,
        fields: Mapping[str, Any],
        *,
        by: str | None = None,
        seen: Seen = None,
        base: Base = None,
        clear: Sequence[str] = (),
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Record:
        """See `Client.update`."""
        return await self._run(
            calls.update(collection, key, fields, How(by, seen, base, clear, reason, idempotency_key))
        )

    @asynccontextmanager
    async def edit(
        self,
        collection: str,
        key: Any,
        *,
        by: str | None = None,
        record: Record | None = None,
        reason: str | None = None,
    ) -> AsyncIterator[Draft]:
        """See `Client.edit`: `async with client.edit(…) as record`."""
        draft = Draft(collection, key, record or await self.get(collection, key, by=by), by)
        yield draft
        await self._run(calls.save(draft, reason))

    async def edit_with(
        self,
        collection: str,
        key: Any,
        work: Callable[[Draft], Awaitable[None] | None],
        *,
        by: str | None = None,
        reason: str | None = None,
        attempts: int = 5,
    ) -> Record:
        """See `Client.edit_with`; `work` may be a coroutine function."""
        for left in range(attempts - 1, -1, -1):
            draft = Draft(collection, key, await self.get(collection, key, by=by), by)
            waiting = work(draft)
            if waiting is not None:
                await waiting
            try:
                return await self._run(calls.save(draft, reason))
            except ConflictError:
                if not left:
                    raise
        raise ValueError("attempts must be at least 1")

    async def send_edits(
        self,
        collection: str,
        key: Any,
        edits: Sequence[Mapping[str, Any]],
        *,
        by: str | None = None,
        seen: Seen = None,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Record:
        """See `Client.send_edits`."""
        return await self._run(
            calls.send_edits(collection, key, edits, How(by, seen, None, (), reason, idempotency_key))
        )

    async def preview(
        self,
        collection: str,
        key: Any,
        change: Mapping[str, Any] | Sequence[Mapping[str, Any]],
        *,
        by: str | None = None,
        seen: Seen = None,
        base: Base = None,
        clear: Sequence[str] = (),
    ) -> Preview:
        """See `Client.preview`."""
        return await self._run(calls.preview(collection, key, change, How(by, seen, base, clear)))

    async def replace(
        self,
        collection: str,
        key: Any,
        fields: Mapping[str, Any],
        *,
        by: str | None = None,
        seen: Seen = None,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Record:
        """See `Client.replace`."""
        return await self._run(
            calls.replace(collection, key, fields, How(by, seen, None, (), reason, idempotency_key))
        )

    async def delete(
        self,
        collection: str,
        key: Any,
        *,
        by: str | None = None,
        seen: Seen = None,
        base: Base = None,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Record:
        """See `Client.delete`."""
        return await self._run(
            calls.delete(collection, key, How(by, seen, base, (), reason, idempotency_key))
        )

    async def batch(
        self,
        items: Sequence[Mapping[str, Any]],
        *,
        atomic: bool = True,
        idempotency_key: str | None = None,
    ) -> tuple[BatchResult, ...]:
        """See `Client.batch`."""
        return await self._run(calls.batch(items, atomic, How(idempotency_key=idempotency_key)))

    # --- access and accounts -------------------------------------------------------------------

    async def access(self, collection: str, key: Any, *, account: str | None = None) -> Mapping[str, Any]:
        """See `Client.access`."""
        return await self._run(calls.access(collection, key, account))

    async def rules(self, collection: str) -> Mapping[str, Any]:
        """See `Client.rules`."""
        return await self._run(calls.rules(collection))

    async def update_many(
        self,
        collection: str,
        change: Mapping[str, Any] | Sequence[Mapping[str, Any]],
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        expect: int | None = None,
        atomic: bool = True,
        preview: bool = False,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Mapping[str, Any]:
        """See `Client.update_many`."""
        return await self._run(
            calls.change_many(
                collection,
                Which(where, equal=equal or {}),
                change,
                How(reason=reason, idempotency_key=idempotency_key),
                many_asked(expect, atomic, preview),
            )
        )

    async def delete_many(
        self,
        collection: str,
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        expect: int | None = None,
        atomic: bool = True,
        preview: bool = False,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Mapping[str, Any]:
        """See `Client.delete_many`."""
        return await self._run(
            calls.change_many(
                collection,
                Which(where, equal=equal or {}),
                None,
                How(reason=reason, idempotency_key=idempotency_key),
                many_asked(expect, atomic, preview),
            )
        )

    async def put(
        self,
        collection: str,
        value: Any,
        fields: Mapping[str, Any],
        *,
        by: str,
        only_new: bool = False,
        seen: Seen = None,
        reason: str | None = None,
        idempotency_key: str | None = None,
    ) -> Record:
        """See `Client.put`."""
        how = How(by, seen, None, (), reason, idempotency_key)
        return await self._run(calls.put(collection, value, fields, how, only_new=only_new))

    async def import_rows(
        self,
        collection: str,
        content: bytes,
        *,
        form: str = "csv",
        mode: str = "both",
        by: str | None = None,
        match: Mapping[str, str | None] | None = None,
        blank: str | None = None,
        atomic: bool = False,
        preview: bool = False,
        reason: str | None = None,
        batch: str | None = None,
        idempotency_key: str | None = None,
    ) -> Mapping[str, Any]:
        """See `Client.import_rows`."""
        asked = import_asked(mode, by, match, blank, atomic=atomic, preview=preview) | {"batch": batch}
        how = How(reason=reason, idempotency_key=idempotency_key)
        return await self._run(calls.import_rows(collection, content, form, asked, how))

    def export(
        self,
        collection: str,
        *,
        form: str = "csv",
        fields: Sequence[str] = (),
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        q: str | None = None,
        sort: str | None = None,
    ) -> AsyncIterator[bytes]:
        """See `Client.export`."""
        which = Which(where, q, sort, equal or {})
        return self._stream(calls.exported(collection, which, form, fields))

    async def _stream(self, asked: Request) -> AsyncIterator[bytes]:
        request = request_for(asked)
        try:
            async with self._http.stream(**request) as answer:
                if answer.status_code >= 400:
                    checked(Response(answer.status_code, answer.headers, await answer.aread()))
                async for piece in answer.aiter_bytes():
                    yield piece
        except httpx.TransportError as error:
            raise UnreachableError(f"The file is cut short: {error or type(error).__name__}.") from None

    async def accounts(self) -> builtins.list[Mapping[str, Any]]:
        """See `Client.accounts`."""
        return await self._run(calls.accounts())

    async def add_account(self, name: str, **members: Any) -> Mapping[str, Any]:
        """See `Client.add_account`."""
        return await self._run(calls.add_account(name, members))

    async def change_account(self, name: str, **members: Any) -> Mapping[str, Any]:
        """See `Client.change_account`."""
        return await self._run(calls.change_account(name, members))

    async def tokens(self, account: str | None = None) -> builtins.list[Mapping[str, Any]]:
        """See `Client.tokens`."""
        return await self._run(calls.tokens(account))

    async def issue_token(
        self, label: str = "", *, days: int | None = None, scope: Mapping[str, Any] | None = None
    ) -> str:
        """See `Client.issue_token`."""
        issued = await self._run(calls.issue_token({"label": label, "days": days, "scope": scope}))
        return str(issued["token"])

    async def revoke_token(self, token_id: str, *, account: str | None = None) -> None:
        """See `Client.revoke_token`."""
        await self._run(calls.revoke_token(token_id, account))

    def choices(
        self, collection: str, field: str, *, q: str | None = None, limit: int | None = None
    ) -> AsyncIterator[Mapping[str, Any]]:
        """See `Client.choices`."""
        return self._walk(calls.choices(collection, field, q, limit))
