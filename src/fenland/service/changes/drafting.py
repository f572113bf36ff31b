"""Drafts: a unit of work whose changes are kept in memory over one moment of the database, and never written.

A preview that depends on its own changes, such as undoing several saves of one record, is made in one: nobody
who writes has to wait for it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator
from contextlib import contextmanager
from typing import Any, cast

from fenland.core.access.conditions import Condition
from fenland.core.access.field_access import Record
from fenland.core.changes.change import ALONE, Act, Change
from fenland.core.definitions.model import Field, place_of
from fenland.service.numbers import PORTION
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work
from fenland.storage.door import Reading, Writing

#: A collection and an id; a collection, a field and a value.
_Id = tuple[str, str]
_Place = tuple[str, str, Any]


class Draft(Work):
    """See `Work`. What was changed here is found as it would be; all else as it is."""

    __slots__ = ("_beneath", "_by_value", "_first", "_numbers", "_records", "_undo")

    def __init__(
        self, service: Service, reading: Reading, act: Act = ALONE, beneath: View | None = None
    ) -> None:
        """`beneath` is what it lies over, where that is not the database itself."""
        super().__init__(service, cast(Writing, reading), act)
        self._beneath = View(service, reading, act) if beneath is None else beneath
        #: What each record that was changed here is beneath.
        self._first: dict[_Id, Record | None] = {}
        self._records: dict[_Id, Record | None] = {}
        #: By the value of a unique field, or of a reference, the records changed here that hold it.
        self._by_value: dict[_Place, set[str]] = {}
        #: How each change is taken back: where it was, whether anything had changed there, and what it was.
        self._undo: list[tuple[_Id, bool, Record | None]] = []
        #: How far series have come here.
        self._numbers: dict[str, int] = {}

    def take(self, changes: Iterable[Change]) -> None:
        """Has the records as these changes leave them."""
        for change in changes:
            place = (change.collection, change.record_id)
            known = place in self._records
            before = self._records.get(place)
            if not known:
                self._first[place] = change.before
            self._set(place, before, change.after)
            self._undo.append((place, known, before))
            self._note_numbers(change)
        self.forget()

    def _note_numbers(self, change: Change) -> None:
        resource = self.service.resources[change.collection]
        for item in resource.rules.series if change.after is not None else ():
            number = item.series.number(change.result[item.name]) if item.series is not None else None
            place = place_of(resource.collection, item)
            if number is not None and number > self._numbers.get(place, 0):
                self._numbers[place] = number

    def last_number(self, resource: Resource, item: Field) -> int:
        """See `View`."""
        there = self._beneath.last_number(resource, item)
        return max(there, self._numbers.get(place_of(resource.collection, item), 0))

    def next_number(self, resource: Resource, item: Field) -> int:
        """See `View`."""
        there = self._beneath.next_number(resource, item)
        found = max(there, self._numbers.get(place_of(resource.collection, item), there - 1) + 1)
        series = item.series
        if series is not None and series.gaps and not isinstance(self._beneath, Work):
            # What others put by stands between, and is theirs.
            for _ in range(PORTION):
                if self.find(resource, item.name, series.value(found)) is None:
                    return found
                found += 1
            found = max(found, self.last_number(resource, item) + 1)
        return found

    def _set(self, place: _Id, before: Record | None, after: Record | None) -> None:
        for name in self._indexed(place[0]):
            if before is not None and before[name] is not None:
                self._by_value[place[0], name, before[name]].discard(place[1])
            if after is not None and after[name] is not None:
                self._by_value.setdefault((place[0], name, after[name]), set()).add(place[1])
        self._records[place] = after

    def _back(self, place: _Id, known: bool, before: Record | None) -> None:
        self._set(place, self._records[place], before)
        if not known:
            del self._records[place], self._first[place]

    def _indexed(self, collection: str) -> list[str]:
        fields = self.service.resources[collection].collection.fields.values()
        return [one.name for one in fields if one.unique or one.references is not None]

    @contextmanager
    def nested(self) -> Iterator[None]:
        """See `Work`."""
        mark = len(self._undo)
        try:
            yield
        except BaseException:
            while len(self._undo) > mark:
                self._back(*self._undo.pop())
            self.forget()
            raise

    # --- reading ----------------------------------------------------------------------------------

    def find(self, resource: Resource, field: str, value: Any) -> Record | None:
        """See `View`."""
        name = resource.collection.name
        if field == "id":
            place = (name, value)
            return (
                self._records[place] if place in self._records else self._beneath.find(resource, field, value)
            )
        for record_id in self._by_value.get((name, field, value), ()):
            return self._records[name, record_id]
        found = self._beneath.find(resource, field, value)
        return None if found is None or (name, found["id"]) in self._records else found

    def look_ahead(self, resource: Resource, ids: Collection[str]) -> None:
        """See `View`."""
        self._beneath.look_ahead(resource, ids)

    def _here(self, resource: Resource, field: str, key: Any) -> list[Record]:
        """Those changed here whose reference holds this key."""
        name = resource.collection.name
        found = (self._records[name, one] for one in sorted(self._by_value.get((name, field, key), ())))
        return [one for one in found if one is not None]

    def referring(self, resource: Resource, field: str, key: Any, limit: int) -> list[Record]:
        """See `View`."""
        # Of those beneath some may have been changed here, and refer elsewhere.
        there = self._beneath.referring(resource, field, key, limit + len(self._records))
        others = [one for one in there if (resource.collection.name, one["id"]) not in self._records]
        return [*self._here(resource, field, key), *others][:limit]

    def all_referring(self, resource: Resource, field: str, key: Any) -> Iterator[Record]:
        """See `View`."""
        yield from self._here(resource, field, key)
        for one in self._beneath.all_referring(resource, field, key):
            if (resource.collection.name, one["id"]) not in self._records:
                yield one

    def count_referring(self, resource: Resource, field: str, key: Any) -> int:
        """See `View`."""
        name = resource.collection.name
        known = (before for place, before in self._first.items() if place[0] == name and before is not None)
        moved = sum(1 for before in known if before[field] == key)
        there = self._beneath.count_referring(resource, field, key)
        return there - moved + len(self._here(resource, field, key))

    def matching(
        self, resource: Resource, condition: Condition, holds: Callable[[Record], bool]
    ) -> Iterator[Record]:
        """See `View`."""
        name = resource.collection.name
        here = [one for place, one in self._records.items() if place[0] == name and one is not None]
        yield from sorted(filter(holds, here), key=lambda one: str(one["id"]))
        for one in self._beneath.matching(resource, condition, holds):
            if (name, one["id"]) not in self._records:
                yield one

    def has_changed(self, collection: str) -> bool:
        """See `View`."""
        return any(name == collection for name, _ in self._records)

    def follow(self, collection: str, key: Any) -> Record | None:
        """See `View`."""
        return self.whole(collection, key)

    def whole(self, collection: str, key: Any) -> Record | None:
        """See `View`."""
        target = self.service.resources[collection]
        return self.find(target, target.collection.key, key)
