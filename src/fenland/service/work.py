"""The unit of work: one moment or one transaction of the database, with the collections and the clock.

A use case opens one, and hands it to all that it does within; nothing keeps it for longer.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any, TypeVar

from fenland.core.access.conditions import Among, Column, Condition
from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller, Sight
from fenland.core.changes.change import ALONE, Act, Change, Stamp
from fenland.core.definitions.model import Field, place_of
from fenland.core.history.entries import Entry
from fenland.core.limits import Limits
from fenland.core.problems import Conflict
from fenland.service.numbers import PORTION, PutBy, taken
from fenland.service.service import Resource, Service
from fenland.storage.door import (
    Account,
    History,
    Order,
    Page,
    Reading,
    ReferenceBroken,
    WouldWait,
    Writing,
)

Result = TypeVar("Result")
#: Records that are read at once, where there may be very many.
_AT_A_TIME = 500


class View:
    """What a use case can see."""

    __slots__ = ("_ahead", "_found", "_missed", "_sight", "act", "follows_later", "reading", "service")

    def __init__(self, service: Service, reading: Reading, act: Act = ALONE) -> None:
        self.service = service
        self.reading = reading
        #: What changes made within it are part of.
        self.act = act
        #: Whether what follows from changes is worked out for many of them at once, by who asks for them.
        self.follows_later = False
        self._sight: Sight | None = None
        #: The last record that was found, which is mostly looked for again, by its id.
        self._found: tuple[Resource, Record] | None = None
        #: What was last looked for in vain: a row that may be new has its key looked for, and then as unique.
        self._missed: tuple[Resource, str, Any] | None = None
        #: Records that were read together, by collection and id, as long as nothing is written to them here.
        self._ahead: dict[tuple[str, str], Record] = {}

    @property
    def history(self) -> History:
        """The entries of all changes."""
        return self.service.database.history

    @property
    def limits(self) -> Limits:
        """What is too much."""
        return self.service.limits

    def resource(self, name: str) -> Resource:
        """The collection of this name. Raises `NotFound`."""
        return self.service.resource(name)

    def target(self, reference: str | None) -> Resource:
        """The collection that a reference names, which definitions have seen to be there."""
        return self.service.resources[str(reference)]

    def sight(self, caller: Caller) -> Sight:
        """What rules are judged with for a caller: references are followed within this unit of work."""
        if self._sight is None or self._sight.caller is not caller:
            self._sight = self.service.sight(caller, self.follow, self.whole)
        return self._sight

    def follow(self, collection: str, key: Any) -> Record | None:
        """Of the record of a collection with this key, what expressions may ask for; whoever asks."""
        target, asked = self.service.resources[collection], self.service.followed[collection]
        return target.records.find_part(self.reading, target.collection.key, key, asked)

    def whole(self, collection: str, key: Any) -> Record | None:
        """All of it."""
        target = self.service.resources[collection]
        return target.records.find(self.reading, target.collection.key, key)

    def breathe(self) -> None:
        """Lets others in between, where this has worked for a while; to be called within long work."""
        self.service.database.turn.breathe()

    def forget(self) -> None:
        """To be called after a change: what was followed, or found, may not be so any more."""
        self._found = self._missed = None
        if self._sight is not None:
            self._sight.forget()

    def find(self, resource: Resource, field: str, value: Any) -> Record | None:
        """The record whose unique `field` (or `id`) holds this value, or None; whoever asks."""
        known = self._found
        if field == "id" and known is not None and known[0] is resource and known[1]["id"] == value:
            return known[1]
        missed = self._missed
        if missed is not None and missed[0] is resource and missed[1:] == (field, value):
            return None
        found = self._ahead.get((resource.collection.name, value)) if field == "id" else None
        if found is not None:
            self._found = (resource, found)
            return found
        found = resource.records.find(self.reading, field, value)
        if found is None:
            self._missed = (resource, field, value)
        else:
            self._found = (resource, found)
        return found

    def look_ahead(self, resource: Resource, ids: Collection[str]) -> None:
        """Reads records at once that are about to be looked for by their ids, one after the other."""
        name, column = resource.collection.name, Column(("id",))
        page = Page(Among(column, tuple(ids)), order=(Order("id"),), limit=len(ids))
        # Where they are too large to be read together, some are read one by one.
        found, _ = resource.records.page(self.reading, page)
        self._ahead.update(((name, one["id"]), one) for one in found)

    def referring(self, resource: Resource, field: str, key: Any, limit: int) -> list[Record]:
        """Records of a collection whose reference holds this key, up to so many; whoever asks."""
        return resource.records.referring(self.reading, field, key, limit)

    def count_referring(self, resource: Resource, field: str, key: Any) -> int:
        """How many there are."""
        return resource.records.count_referring(self.reading, field, key)

    def all_referring(self, resource: Resource, field: str, key: Any) -> Iterator[Record]:
        """All of them, however many there are."""
        found = self.referring(resource, field, key, _AT_A_TIME + 1)
        if len(found) <= _AT_A_TIME:
            yield from found
            return
        yield from self.matching(resource, Among(Column((field,)), (key,)), lambda _: True)

    def matching(
        self, resource: Resource, condition: Condition, _holds: Callable[[Record], bool]
    ) -> Iterator[Record]:
        """The records that a condition chooses, whoever asks; `_holds` is the same condition in Python."""
        after, more = None, True
        while more:
            page = Page(condition, order=(Order("id"),), after=after, limit=_AT_A_TIME)
            found, more = resource.records.page(self.reading, page)
            yield from found
            after = (found[-1]["id"],) if found else None
            self.breathe()

    def has_changed(self, _collection: str) -> bool:
        """Whether any record of the collection is not as it is stored; see `Draft`."""
        return False

    def settled(self, record: Record) -> int:
        """The last version of a record that was not merely derived."""
        found = self.history.settled(self.reading, record["id"])
        return int(record["version"]) if found is None else found

    def last_number(self, resource: Resource, item: Field) -> int:
        """How far the series of a field has come; one below its first number where it has not begun."""
        series = item.series
        if series is None:
            raise ValueError(f"{item.name} has no series.")
        kept = self.service.database.series.last(self.reading, place_of(resource.collection, item))
        if kept is not None:
            return kept
        # It is newer than its records: it goes on from the highest of those that there are. While nothing is
        # kept nobody has got a number since, so that they need be looked through once.
        place, found = place_of(resource.collection, item), self.service.highest
        if place not in found:
            highest = series.first - 1
            for number, value in enumerate(resource.records.values(self.reading, item.name)):
                highest = max(highest, series.number(value) or highest)
                if not number % 1_000:
                    self.breathe()
            found[place] = highest
        return found[place]

    def next_number(self, resource: Resource, item: Field) -> int:
        """The number that a new record would get of the series of a field."""
        put_by = self.service.numbers.next(place_of(resource.collection, item))
        return self.last_number(resource, item) + 1 if put_by is None else put_by

    def account(self, name: str) -> Account | None:
        """The account of this name, or None."""
        return self.service.database.accounts.by_name(self.reading, name)

    def stamp(self, caller: Caller, reason: str | None = None) -> Stamp:
        """What marks changes that the caller makes now."""
        return Stamp(self.service.now(), self.act.behalf or caller.name, reason, self.act)

    def doing(self, *, undoes: int | None = None, restores: int | None = None) -> _Doing:
        """Has the changes of the body taken for a part of something; see `Act`."""
        act = self.act
        act = replace(act, undoes=undoes or act.undoes, restores=restores or act.restores)
        return _Doing(self, act)

    def applying(self, proposal: int, behalf: str | None) -> _Doing:
        """Has the changes of the body taken for the application of a proposal."""
        return _Doing(self, replace(self.act, proposal=proposal, behalf=behalf))


class _Doing:
    """The body of a with statement, whose changes are part of an act. There may be very many of them."""

    __slots__ = ("_act", "_view")

    def __init__(self, view: View, act: Act) -> None:
        self._view, self._act = view, act

    def __enter__(self) -> None:
        self._act, self._view.act = self._view.act, self._act

    def __exit__(self, *_: object) -> None:
        self._view.act = self._act


class Work(View):
    """What a use case can see and change: all of it is kept, or nothing."""

    __slots__ = ("put_by", "writing")

    def __init__(self, service: Service, writing: Writing, act: Act = ALONE) -> None:
        super().__init__(service, writing, act)
        self.writing = writing
        #: Numbers of series with gaps that are put by here, and not given yet.
        self.put_by: PutBy = {}

    def stamp(self, caller: Caller, reason: str | None = None) -> Stamp:
        """See `View`. Never before the last change, whatever the clock does."""
        last = self.service.database.history.last(self.writing)
        by = self.act.behalf or caller.name
        return Stamp(max(self.service.now(), last.time), by, reason, self.act)

    def next_number(self, resource: Resource, item: Field) -> int:
        """See `View`: nobody else gets it."""
        if item.series is None or not item.series.gaps:
            return self.last_number(resource, item) + 1
        found = self._put_by(resource, item)
        # Somebody may have given their record one that was put by.
        while self.find(resource, item.name, item.series.value(found)) is not None:
            found = self._put_by(resource, item)
        return found

    def _put_by(self, resource: Resource, item: Field) -> int:
        """The next number of those that are put by; where none are left, more are."""
        place, series = place_of(resource.collection, item), self.service.database.series
        found = taken(self.put_by, place)
        if found is None:
            found = self.service.numbers.take(place)
        if found is None:
            if self.service.database.turn.hurried:
                # What is put by must be durable before another gets any of it.
                raise WouldWait
            found = self.last_number(resource, item) + 1
            series.keep(self.writing, place, found + PORTION - 1)
            self.put_by[place] = (found + 1, found + PORTION - 1)
        return found

    def wrote(self, change: Change) -> None:
        """To be called with each change that is written: what was read of its record is so no more."""
        self._ahead.pop((change.collection, change.record_id), None)

    def enter(self, entry: Entry) -> int:
        """Adds an entry to the history; its sequence."""
        return self.service.database.history.add(self.writing, entry).sequence

    @contextmanager
    def nested(self) -> Iterator[None]:
        """Undoes what the body did, and only that, when it raises."""
        put_by = dict(self.put_by)
        try:
            with self.writing.nested():
                yield
        except BaseException:
            self.put_by = put_by
            self.forget()
            raise


@contextmanager
def snapshot(service: Service, caller: Caller | None = None) -> Iterator[View]:
    """What can be seen at one moment; for a caller, whose long reads are counted."""
    with service.database.snapshot(None if caller is None else caller.actor.name) as reading:
        yield View(service, reading)


def written(service: Service, work: Callable[[Work], Result], act: Act = ALONE) -> Result:
    """What `work` gives, once all that it changed is durable. It may run again; see `Database.write`.

    `act` is what its changes are part of.
    """
    last: list[Work] = []

    def carried_out(writing: Writing) -> Result:
        last[:] = [Work(service, writing, act)]
        return work(last[0])

    try:
        result = service.database.write(carried_out)
        if last[0].put_by:
            service.numbers.add(last[0].put_by)
        return result
    except ReferenceBroken:
        # Found only at the commit: references are checked there.
        raise just_changed() from None


def just_changed() -> Conflict:
    """The refusal where a reference has come loose between the check and the write."""
    return Conflict("A record this one refers to, or that refers to it, has just changed. Try again.")
