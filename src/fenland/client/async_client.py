"""The client for asyncio programs, whose calls are awaited."""

from __future__ import annotations

import asyncio
import builtins
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping, Sequence
from contextlib import asynccontextmanager
from types import TracebackType
from typing import Any, TypeVar

import httpx

from fenland.client import calls, flows
from fenland.client.async_passes import AsyncPasses, AsyncProposals
from fenland.client.async_past import AsyncPast
from fenland.client.async_subscriptions import AsyncSubscriptions
from fenland.client.calls import Base, How, Related, Seen, Walk, Which, import_asked, many_asked
from fenland.client.drafts import Draft
from fenland.client.errors import ConflictError, ProblemError, UnreachableError
from fenland.client.flows import Flow, Request, Response, checked, headers_for, request_for, trusted_for
from fenland.client.records import BatchResult, Entry, Form, Preview, Record, View

Result = TypeVar("Result")
Item = TypeVar("Item")


class AsyncClient:
    """A connection to one service as one account.

    `timeout` is how many seconds each step of a request may take without an answer (connecting, sending,
    waiting for the next bytes), and how long after the first try a request is sent again at most.
    `name` is for a program that keeps a queue of unsent changes: a random text of its own, kept with them.
    The service knows the program's earlier changes by it, and does not take them for others' when a later
    one has the same base. Programs that change one record from several threads at once leave it out.

    Every method raises a `ClientError`: `UnreachableError` when no answer came, else the
    `ProblemError` of what the service said. Reads and changes are tried again by themselves when no
    answer came: every change carries an idempotency key, so the service makes it once.
    """

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
            base_url=address,
            headers=headers,
            timeout=timeout,
            transport=transport,
            verify=trusted_for(address),
        )
        self._timeout = timeout
        #: How records were, the way back, and what proves the history.
        self.past = AsyncPast(self)
        #: Which other systems are sent what.
        self.subscriptions = AsyncSubscriptions(self)
        #: Links for people without an account, and what they sent.
        self.passes, self.proposals = AsyncPasses(self), AsyncProposals(self)

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
        """Who this client is signed in as: account, title and roles."""
        return await self._run(calls.session())

    async def schemas(self) -> list[Mapping[str, Any]]:
        """The collections there are."""
        return await self._run(calls.schemas())

    async def schema(self, collection: str) -> Mapping[str, Any]:
        """The JSON Schema of a collection for this account."""
        return await self._run(calls.schema(collection))

    async def calls(self, collection: str) -> builtins.list[Mapping[str, Any]]:
        """What to copy into another tool, so that it lists, adds, changes and deletes records."""
        return await self._run(calls.calls(collection))

    async def mistakes(self) -> str:
        """What is wrong with the project's files as saved, where `fenland start --reload` watches them."""
        return await self._run(calls.mistakes())

    async def views(self, collection: str) -> builtins.list[View]:
        """How the lists of a collection are shown, under the titles that people gave that, by title."""
        return await self._run(calls.views(collection))

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
        """The records of a collection, one by one; pages are fetched as they are needed.

        `where` is a condition over the fields, such as `status == "open" && pumps > 2`; `equal` gives values
        that fields must have, a list for any of several; `q` are words to find, `sort` is like
        `-due_on,number`, `limit` ends the walk.
        """
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
        """Of each of these records itself, and what its references lead to: by collection and by key.

        `include` names references, such as `station.watercourse`; the rest is as in `list`.
        """
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
        """Of each of these records the named fields alone; otherwise as `list`."""
        return self._walk(calls.values(collection, Which(where, q, sort, equal or {}), fields, limit))

    async def count(
        self,
        collection: str,
        *,
        where: str | None = None,
        equal: Mapping[str, Any] | None = None,
        q: str | None = None,
    ) -> int:
        """How many of a collection's records there are, by the same conditions."""
        return await self._run(calls.count(collection, Which(where, q, None, equal or {})))

    async def get(self, collection: str, key: Any, *, by: str | None = None) -> Record:
        """A record by its key, or by the value of another unique field."""
        return await self._run(calls.get(collection, key, by))

    async def form(self, collection: str, key: Any) -> Form:
        """All an edit form of this record needs."""
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
        """The record's changes, newest first; pages are fetched as they are needed.

        `field` and `actor` narrow them down.
        """
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
        """Creates a record and returns it as saved, defaults included."""
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
        """Changes the given fields, no others, and returns the record as saved. None clears a field.

        `seen` is the record, or the entity tag, that the change was made from: when the record has
        changed since, nothing is saved and `VersionError` is raised. `base` is the record, its entity
        tag or its version: changes of others to other fields are kept, and `ConflictError` tells of
        those to the same fields. With neither, the last write wins, field by field. `clear` names
        fields to empty even where their definition takes a blank for "leave it". `by` names the unique
        field that `key` is the value of, when it is not the key. `idempotency_key` is made up for each
        call when it is left out; one that is given makes it safe to repeat the call itself.
        """
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
        """A record to work on: at the end of the with statement what was changed is saved, nothing else.

            async with client.edit("stations", "PS-014") as station:
                station["pumps"] += 1
                del station["access_notes"]

        What others changed meanwhile in other fields is kept; for the same fields `ConflictError` is
        raised. When the body raises, nothing is sent. `record` is what to begin from, if it was read; `by`
        names the unique field that `key` is the value of, when it is not the key.
        """
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
        """The same with a function that works on the draft: it is called again while others are quicker.

        Whenever others changed the same fields meanwhile, the record is read anew and `work` is
        called with it, up to `attempts` times; then `ConflictError` is raised. Returns the record as saved.
        `work` may be a coroutine function.
        """
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
        """Makes edits at the service, such as `{"at": "/pumps", "increase_by": 1}`, all or none.

        They are made of the stored value, so none of many at once is lost. Raises `ConflictError` when
        an edit's `only_if` does not hold.
        """
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
        """What `update` would do with these fields, or `send_edits` with these edits; saves nothing.

        What is wrong with them is part of the answer.
        """
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
        """Puts these fields in the place of all that can be set; what is left out gets its default."""
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
        """Deletes a record and returns its last copy; `seen` and `base` as for `update`."""
        return await self._run(
            calls.delete(collection, key, How(by, seen, base, (), reason, idempotency_key))
        )

    async def batch(
        self,
        items: Sequence[Mapping[str, Any]],
        *,
        atomic: bool = True,
        preview: bool = False,
        idempotency_key: str | None = None,
    ) -> tuple[BatchResult, ...]:
        """Does several things in one request: all or nothing, or with `atomic=False` each on its own.

        An item is like `{"action": "update", "collection": "tickets", "key": "T-1", "fields": {...}}`;
        docs/http.md lists what one may hold. The results come in the order of the items. With `preview`
        nothing is saved, and the results tell what would become of each.
        """
        return await self._run(calls.batch(items, atomic, How(idempotency_key=idempotency_key), preview))

    # --- access and accounts -------------------------------------------------------------------

    async def access(self, collection: str, key: Any, *, account: str | None = None) -> Mapping[str, Any]:
        """What may be done with a record, right by right and field by field, and by which rule.

        `account` names another one, for who manages accounts.
        """
        return await self._run(calls.access(collection, key, account))

    async def rules(self, collection: str) -> Mapping[str, Any]:
        """Who may do what with the records of a collection, by role."""
        return await self._run(calls.rules(collection))

    async def consequences(self, collection: str) -> Mapping[str, Any]:
        """What follows from changes of records, and in their fields: `items`, and how many are `unseen`."""
        return await self._run(calls.consequences(collection))

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
        """Changes all records that a filter chooses: fields to set, or edits.

        All or nothing, unless `atomic` is false. `expect` refuses where the filter chooses another number;
        `preview` only tells what would become of them. Gives the counts, and some records one by one.
        """
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
        """Deletes all records that a filter chooses; otherwise as `update_many`."""
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
        """Creates the record whose unique field `by` holds a value, or replaces it where it is there.

        With `only_new` it is refused where it is there, with `seen` where it is not, or was changed since.
        """
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
        """Brings in the rows of a file, `content` being its bytes, and gives what became of them.

        `form` is csv, jsonl or xlsx; `mode` create, update or both; `by` the unique field that says which
        record a row is of, the key if left out; `match` says by column which field it stands for, or None.
        Rows that are refused are told under `problems`; with `atomic` nothing is kept where one is. With the
        `batch` of an earlier answer, both are one import, and can be undone as one.
        """
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
        """A list as a file, in pieces: the records that `list` would give, with these fields.

        `form` is csv, jsonl or xlsx. What is left to be read ends with an error where it is cut short.
        """
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
        """All accounts, for who manages them."""
        return await self._run(calls.accounts())

    async def add_account(self, name: str, **members: Any) -> Mapping[str, Any]:
        """Adds an account: `title`, `roles`, `attributes`, `password`."""
        return await self._run(calls.add_account(name, members))

    async def change_account(self, name: str, **members: Any) -> Mapping[str, Any]:
        """Changes an account: what is not named stays. `disabled=True` keeps it out."""
        return await self._run(calls.change_account(name, members))

    async def tokens(self, account: str | None = None) -> builtins.list[Mapping[str, Any]]:
        """The tokens and sessions of the own account, or of another for who manages accounts."""
        return await self._run(calls.tokens(account))

    async def issue_token(
        self, label: str = "", *, days: int | None = None, scope: Mapping[str, Any] | None = None
    ) -> str:
        """Makes a token for the own account, which is shown this once.

        `scope` is like `{"rights": ["read"], "collections": ["stations"]}`.
        """
        issued = await self._run(calls.issue_token({"label": label, "days": days, "scope": scope}))
        return str(issued["token"])

    async def revoke_token(self, token_id: str, *, account: str | None = None) -> None:
        """Revokes a token, or ends a session, by its id."""
        await self._run(calls.revoke_token(token_id, account))

    def notices(self, *, after: int | None = 0, limit: int | None = None) -> AsyncIterator[Mapping[str, Any]]:
        """Notices that effects left, in order, behind a number; with None, the newest first.

        For who manages accounts.
        """
        return self._walk(calls.notices(after, limit))

    async def presence(
        self, collection: str, key: Any, *, window: str = "client", doing: str = "gone"
    ) -> builtins.list[Mapping[str, Any]]:
        """Who else has a record open now, each with whether they are `editing`.

        Who is there says so themselves, `reading` or `editing`, every ten seconds, and `gone` at the end.
        """
        return await self._run(calls.presence(collection, key, window, doing))

    async def inspect_requests(self, minutes: int = 15, *, console: bool = False) -> Mapping[str, Any]:
        """Has the requests of the own account noted for so many minutes: `until` when that is.

        With `console`, those of the web console, too.
        """
        return await self._run(calls.inspect_requests(minutes, console))

    async def requests(self, *, after: int = 0, limit: int = 50) -> Mapping[str, Any]:
        """The last requests that were noted: `items`, the newest first, of those after a number; `until`.

        Each says what was sent, what each field meant, and what was refused and why.
        """
        return await self._run(calls.requests(after, limit))

    async def request(self, number: int) -> Mapping[str, Any]:
        """One of them. Raises `NotFoundError` once it is not kept any more."""
        return await self._run(calls.request(number))

    async def forget_requests(self) -> None:
        """Has the own requests noted no more, and forgets those that were."""
        await self._run(calls.forget_requests())

    async def feed_end(self) -> str:
        """Where the feed stands now. Ask for it, read a list, then follow `changes` from there."""
        return (await self._run(calls.changes(None, calls.Followed())))[1]

    async def changes(
        self,
        after: str | None = None,
        *,
        collection: str | None = None,
        where: str | None = None,
        data: str = "none",
        wait: int = 20,
    ) -> AsyncIterator[Mapping[str, Any]]:
        """Changes as CloudEvents, in the order of their commits, for as long as one likes.

        They begin behind the event of the id `after`, or now; keep the `id` of the last to go on later.
        `where` is a condition over records of a `collection`; `data` is `none`, `changes` or `record`. Where
        the service cannot be reached, or has no time, it is asked again. With `wait=0` they end once there
        are no more.
        """
        # No longer than the client itself waits for an answer.
        patience = min(wait, max(1, int(self._timeout * 0.6)))
        followed, failed = calls.Followed(collection, where, data, patience), 0
        while True:
            try:
                events, onward = await self._run(calls.changes(after, followed))
            except (UnreachableError, ProblemError) as error:
                if not wait or getattr(error, "status", 503) not in calls.PASSING:
                    raise
                failed += 1
                await self._run(calls.pause(min(30, 2**failed)))
                continue
            failed = 0
            for event in events:
                yield event
            if not wait and onward == after:
                # An answer may be empty, and still have gone on over what is not theirs.
                return
            after = onward

    def choices(
        self, collection: str, field: str, *, q: str | None = None, limit: int | None = None
    ) -> AsyncIterator[Mapping[str, Any]]:
        """What a field may hold: values and labels; `q` are words to find."""
        return self._walk(calls.choices(collection, field, q, limit))
